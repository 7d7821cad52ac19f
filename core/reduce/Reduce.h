#pragma once
/// Reducing a mesh to a number of triangles.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <memory>

namespace um {

struct ReduceSettings {
    std::size_t targetTriangles = 0;
    /// Normals of the result (made anew where the source has normals) are split at edges sharper than this.
    double creaseDegrees = 50;
    /// Whether the vertices are moved and edges flipped afterwards, to lie closer to the source.
    bool polish = true;
};

struct Reduced {
    Mesh mesh;
    /// Whether the target was met: exactly, or one triangle under where parity forces it. If not, `mesh` is as small as
    /// its borders, seams, material limits and closed pieces allow without tearing or flipping anything.
    bool targetMet = true;
};

/// Contracts edges in the order of their quadric error until `targetTriangles` are left. Borders, material limits and
/// UV seams hold together: positions are shared across them, and they are straightened only along themselves. No
/// contraction changes the topology (link condition), turns a triangle over or makes a needle. UVs and colours are
/// interpolated. The source is not changed. The same input gives the same bytes whatever the number of threads.
/// Costs O(t log(t / target)) in passes of independent contractions; about 110 bytes a source triangle.
/// @throws MeshError  if the source is not sound, or targetTriangles is 0
/// @throws Cancelled
/// Source: Garland & Heckbert 1997 (quadrics); Dey, Edelsbrunner, Guha & Nekhayev 1999 (link condition).
Reduced reduceMesh(const Mesh& source, const ReduceSettings& settings, const Progress& progress);

/// The same in steps: a reduction that can be taken further, looked at on the way, and copied to go on from a place
/// twice.
class Reduction {
public:
    /// Keeps a reference to `source`, which must stay as it is.
    /// @throws MeshError, Cancelled  as reduceMesh
    Reduction(const Mesh& source, const Progress& progress);
    ~Reduction();
    Reduction(const Reduction& other);
    Reduction(Reduction&& other) noexcept;
    Reduction& operator=(const Reduction& other) = delete;

    /// Goes on to `targetTriangles`. @returns whether that was met
    bool reduceTo(std::size_t targetTriangles, const Progress& progress);
    std::size_t triangles() const;
    /// What there is now.
    Mesh mesh(const ReduceSettings& settings, const Progress& progress) const;

private:
    const Mesh& m_source;
    std::vector<std::pair<VertexId, VertexId>> m_sourceLines;
    std::unique_ptr<class Contraction> m_contraction;
};

}  // namespace um
