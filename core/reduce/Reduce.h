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

    /// How much dearer places on the outline are than others, 0 to 1.
    double silhouetteWeight = 0;

    /// Names of the parts to reduce; the others stay as they are. Empty for all.
    std::vector<std::string> onlyParts;
    /// Triangles that each part keeps at least, if it has so many.
    std::size_t leastOfPart = 0;
    /// Loose pieces smaller than this are dropped first, smallest first, until the target is met; 0 drops none.
    double dropLooseBelow = 0;
    /// Whether triangles that no one sees from outside are dropped, apart from what is held.
    bool dropUnseen = false;
    /// Surfaces of different pieces closer than this may join, so that heaps of bits reduce beyond their own topology;
    /// 0 joins none.
    double joinWithin = 0;
    /// Whether holes may close and pieces meet; where pieces join they always may.
    TopologyRule topology = TopologyRule::Stays;

    NormalTreatment normals = NormalTreatment::Automatic;
    /// Normals made anew are split at edges sharper than this.
    double creaseDegrees = 50;
    /// Whether the vertices are moved and edges flipped afterwards, to lie closer to the source.
    bool polish = true;
    /// Whether the polish takes smaller steps and more samples: coarse levels come a fiftieth closer, for a third more
    /// time.
    bool isPatient = false;
    /// By how much the error counts for more at each vertex of the source, besides the guard; or empty.
    std::vector<float> dearer;
    /// The error already made at each vertex, where the source itself came out of something finer; or empty.
    std::vector<StoredQuadric> knownQuadrics;
};

/// What happened besides contraction.
struct ReduceNotes {
    std::vector<DroppedPieces> dropped;
    std::size_t unseenTriangles = 0;
    std::size_t joinedVertices = 0;
    /// What everything but that is within, in the mesh's unit, where something was dropped and the rest was searched
    /// for.
    std::optional<double> restWithin;

    /// In words, a sentence each: "Dropped 12 loose pieces of Barnacles (340 triangles, the largest 4.1 mm)."
    std::vector<std::string> sentences(double metresPerUnit) const;
};

/// What is left of a source when all has gone that the settings say is to be dropped; nothing if nothing has. Vertices
/// keep their numbers.
/// @param enough  loose pieces are dropped until at most so many triangles are left
/// @param notes   what was dropped is written there
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

/// The same in steps: a reduction that can be taken further, looked at on the way, and copied to go on from a place
/// twice.
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

    /// Goes on to `targetTriangles`, or as near to it as can be.
    void reduceTo(std::size_t targetTriangles, const Progress& progress);
    /// About as many as mesh() will have: the target, or more where it cannot be met.
    std::size_t triangles() const;
    /// What there is now, polished if wanted, and then kept to a limit.
    Mesh mesh(const Progress& progress, const Limit& limit = {}) const&;
    /// The same where nothing more is wanted: gives memory back on the way.
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
