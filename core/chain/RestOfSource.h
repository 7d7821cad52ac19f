#pragma once
/// What a level is searched for where something is dropped first: nothing can bring the level close to that.
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
    /// To reduce the rest by: nothing more is dropped.
    const ReduceSettings& settings() const { return m_settings; }

    /// Of a level that was searched for against the rest: notes what was dropped and what the rest is within, and
    /// measures against the whole source, as every level is.
    /// @param deviation  from the rest, proven
    void tellOfWhole(const Mesh& level, Deviation& deviation, ReduceNotes& notes, const Progress& progress) const;

private:
    const Mesh& m_source;
    ReduceSettings m_settings;
    ReduceNotes m_dropped;
    std::optional<Mesh> m_rest;
};

}  // namespace um
