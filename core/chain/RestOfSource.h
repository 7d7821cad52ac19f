#pragma once
/// The source without dropped pieces: the reference of searches, because no level comes close to dropped pieces.
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

namespace um {

class RestOfSource {
public:
    /// Keeps a reference to `source`, which must stay as it is.
    /// @param enough  loose pieces are dropped until at most so many triangles are left
    /// @throws MeshError, Cancelled  as reduceMesh
    RestOfSource(const Mesh& source, std::size_t enough, const ReduceSettings& settings, const Progress& progress);

    const Mesh& mesh() const { return m_rest ? *m_rest : m_source; }
    /// The settings for reducing the rest, without dropping.
    const ReduceSettings& settings() const { return m_settings; }

    /// Completes the result of a search: notes the dropped pieces and the bound for the rest, and measures the level
    /// against the whole source.
    /// @param deviation  from the rest, proven
    void tellOfWhole(const Mesh& level, Deviation& deviation, ReduceNotes& notes, const Progress& progress) const;

private:
    const Mesh& m_source;
    ReduceSettings m_settings;
    ReduceNotes m_dropped;
    std::optional<Mesh> m_rest;
};

}  // namespace um
