#pragma once
/// Reducing a mesh to a number of triangles.
#include "base/Progress.h"
#include "mesh/Mesh.h"
#include "reduce/Guard.h"
#include "reduce/Limit.h"
#include "reduce/LooseParts.h"
#include "reduce/Protect.h"
#include "reduce/Quadric.h"

#include <memory>
#include <optional>

namespace um {

class Contraction;
class Descent;

enum class NormalTreatment {
    Automatic,  ///< interpolated where at least a quarter of the triangles stay, else made anew
    Keep,       ///< interpolated from the source
    Remake      ///< made anew from the level's shape, split at creases
};

/// How to reduce, apart from how far. Lengths are in the mesh's unit.
struct ReduceSettings {
    Protect protect;
    Guard guard;

    /// Extra weight of the error on outlines, 0 to 1.
    double silhouetteWeight = 0;

    /// Names of the parts to reduce; the others are kept. Empty for all.
    std::vector<std::string> onlyParts;
    /// The least number of triangles of each part.
    std::size_t leastOfPart = 0;
    /// Loose pieces smaller than this are dropped first, smallest first, until the target is met; 0 drops none.
    double dropLooseBelow = 0;
    /// Whether triangles invisible from outside are dropped, apart from held ones.
    bool dropUnseen = false;
    /// Surfaces of different pieces closer than this may join, so that heaps of small pieces can be reduced further; 0
    /// joins none.
    double joinWithin = 0;
    /// Whether the topology may change: holes close, pieces meet. Always so where pieces join.
    TopologyRule topology = TopologyRule::Stays;

    NormalTreatment normals = NormalTreatment::Automatic;
    /// Normals made anew are split at edges sharper than this.
    double creaseDegrees = 50;
    /// Whether the vertices are moved and edges flipped afterwards, to lie closer to the source.
    bool polish = true;
    /// Whether the polish takes smaller steps and more samples: coarse levels come a fiftieth closer, for a third more
    /// time.
    bool isPatient = false;
    /// Weights of the error at each vertex of the source, besides the guard; or empty.
    std::vector<float> dearer;
    /// The error already made at each vertex, if the source itself was reduced from something finer; or empty.
    std::vector<StoredQuadric> knownQuadrics;
};

/// What was dropped or joined besides contraction.
struct ReduceNotes {
    std::vector<DroppedPieces> dropped;
    std::size_t unseenTriangles = 0;
    std::size_t joinedVertices = 0;
    /// The proven deviation without dropped pieces, in the mesh's unit; set by searches.
    std::optional<double> restWithin;

    /// In words, a sentence each: "Dropped 12 loose pieces of Barnacles (340 triangles, the largest 4.1 mm)."
    std::vector<std::string> sentences(double metresPerUnit) const;
};

/// The source without the pieces and triangles that the settings drop; nothing if none are dropped. Vertices keep their
/// indices.
/// @param enough  loose pieces are dropped until at most so many triangles are left
/// @param notes   receives what was dropped
/// @throws MeshError, Cancelled  as reduceMesh
std::optional<Mesh> withoutDropped(const Mesh& source, std::size_t enough, const ReduceSettings& settings,
                                   ReduceNotes& notes, const Progress& progress);

struct Reduced {
    Mesh mesh;
    /// Whether the target was met: exactly, or one triangle under where parity forces it. If not, `mesh` is as small as
    /// its borders, seams, material limits and closed pieces allow without tearing or flipping anything.
    bool targetMet = true;
    ReduceNotes notes;
};

/// Contracts edges in the order of their quadric error until `targetTriangles` are left. Borders, material limits and
/// UV seams hold together: positions are shared across them, and they are straightened only along themselves. No
/// contraction changes the topology (link condition), turns a triangle over or makes a needle. UVs, normals, colours,
/// skin and blend shapes go along. The source is not changed. The same input gives the same bytes whatever the number
/// of threads. Costs O(t log t); about 100 bytes a source triangle; with the polish 150, 190 where a quarter of the
/// triangles stays, 225 where half does.
/// @throws MeshError  if the source is not sound, targetTriangles is 0, or settings name parts that are not there
/// @throws Cancelled
/// Source: Garland & Heckbert 1997 (quadrics); Hoppe 1999 (attributes); Dey, Edelsbrunner, Guha & Nekhayev 1999 (link
/// condition).
Reduced reduceMesh(const Mesh& source, std::size_t targetTriangles, const ReduceSettings& settings,
                   const Progress& progress);

/// A reduction in steps. It can go on to lower counts, give a mesh at each, and be copied.
class Reduction {
public:
    /// Keeps a reference to `source`, which must stay as it is.
    /// @param enough  so many triangles are to be left at least when loose pieces are dropped
    /// @throws MeshError, Cancelled  as reduceMesh
    Reduction(const Mesh& source, std::size_t enough, const ReduceSettings& settings, const Progress& progress);
    ~Reduction();
    Reduction(const Reduction& other);
    Reduction(Reduction&& other) noexcept;
    Reduction& operator=(const Reduction& other) = delete;

    /// Reduces to `targetTriangles`, or as close to it as possible.
    void reduceTo(std::size_t targetTriangles, const Progress& progress);
    /// About the count of mesh(): the target, or more where it cannot be met.
    std::size_t triangles() const;
    /// The present mesh, polished if set, and then mended to a limit.
    Mesh mesh(const Progress& progress, const Limit& limit = {}) const&;
    /// The same as the last use: frees memory on the way.
    Mesh mesh(const Progress& progress, const Limit& limit = {}) &&;
    const ReduceNotes& notes() const { return m_notes; }

private:
    struct Prepared;

    void startThinned(const Progress& progress);
    std::optional<Descent> descent(const Progress& progress) const;
    Mesh finish(std::optional<Descent> last, const Limit& limit, const Progress& progress) const;
    bool isPolished() const;
    std::size_t pause() const;

    std::shared_ptr<const Prepared> m_prepared;
    ReduceNotes m_notes;
    std::size_t m_target = 0;
    std::unique_ptr<Contraction> m_contraction;
    bool m_hasBegun = false;  // whether that is no longer the source
    bool m_isThinned = false;
    std::shared_ptr<Descent> m_descent;  // where descents to lower targets go the same way
    bool m_isStuck = false;              // above where it should have come to
};

}  // namespace um
