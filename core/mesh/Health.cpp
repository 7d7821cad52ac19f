#include "mesh/Health.h"

#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Cracks.h"
#include "mesh/InsideOut.h"
#include "mesh/UvMap.h"

#include <cmath>

namespace um {
namespace {

constexpr std::size_t mostPlaces = 1000;

// Longest edge against the height on it.
constexpr double needleRatio = 300;

constexpr double bitShare = 0.01;

// Around a hole, of the diagonal: a lid or a mouth is larger.
constexpr double holeShare = 0.2;

constexpr double mostUvStretch = 4;
// Below that share it is of no matter.
constexpr double leastUvShare = 0.01;

// From here on single precision leaves less than a ten-thousandth of the size.
constexpr double farRatio = 1000;

struct FoundFault {
    double size = 0;
    Vec3f place = Vec3f::Zero();
};

Finding findingOf(Fault fault, std::vector<FoundFault> found) {
    std::stable_sort(found.begin(), found.end(),
                     [](const FoundFault& a, const FoundFault& b) { return a.size > b.size; });
    Finding finding{fault, found.size(), found.empty() ? 0 : found.front().size, {}, {}};
    for (const FoundFault& one : found) {
        if (finding.places.size() == mostPlaces) break;
        finding.places.push_back(one.place);
    }
    return finding;
}

Vec3f middleOf(const Mesh& mesh, const Triangle& t) {
    return (mesh.positions[t[0]] + mesh.positions[t[1]] + mesh.positions[t[2]]) / 3;
}

std::vector<FoundFault> holesOf(const Mesh& mesh, const std::vector<HalfEdge>& borders) {
    std::vector<FoundFault> found;
    for (const std::vector<VertexId>& loop : borderLoops(borders)) {
        FoundFault hole;
        for (std::size_t i = 0; i < loop.size(); ++i) {
            const Vec3f &a = mesh.positions[loop[i]], &b = mesh.positions[loop[(i + 1) % loop.size()]];
            hole.size += double((b - a).norm());
            hole.place += a / float(loop.size());
        }
        found.push_back(hole);
    }
    return found;
}

// How many fans of triangles, each held together by shared edges, meet at a vertex.
std::size_t fansAt(const Mesh& mesh, VertexId v, std::span<const TriangleId> around) {
    constexpr std::size_t most = 64;  // a pole of more is looked at by no one
    if (around.size() < 2 || around.size() > most) return 1;
    std::array<std::size_t, most> fan;
    for (std::size_t i = 0; i < around.size(); ++i) fan[i] = i;
    const auto rootOf = [&](std::size_t i) {
        while (fan[i] != i) i = fan[i];
        return i;
    };
    std::size_t fans = around.size();
    for (std::size_t i = 0; i < around.size(); ++i)
        for (std::size_t j = i + 1; j < around.size(); ++j) {
            const Triangle &a = mesh.triangles[around[i]], &b = mesh.triangles[around[j]];
            const bool touch = std::any_of(
                a.begin(), a.end(), [&](VertexId w) { return w != v && std::find(b.begin(), b.end(), w) != b.end(); });
            const std::size_t x = rootOf(i), y = rootOf(j);
            if (!touch || x == y) continue;
            fan[std::max(x, y)] = std::min(x, y);
            --fans;
        }
    return fans;
}

struct TriangleFaults {
    std::vector<FoundFault> flat, needles;
};

void judgeTriangle(const Mesh& mesh, const Triangle& t, TriangleFaults& faults) {
    const Vec3d a = mesh.positions[t[0]].cast<double>(), b = mesh.positions[t[1]].cast<double>(),
                c = mesh.positions[t[2]].cast<double>();
    const double doubled = areaNormal(a, b, c).norm();
    const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
    if (!(doubled > 0))
        faults.flat.push_back({longest, middleOf(mesh, t)});
    else if (longest * longest > needleRatio * doubled)
        faults.needles.push_back({longest, middleOf(mesh, t)});
}

std::vector<Box3f> boxesOf(const Mesh& mesh, const Pieces& pieces) {
    std::vector<Box3f> boxes(pieces.count());
    for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
        if (pieces.triangleCounts[pieces.ofVertex[v]] > 0) boxes[pieces.ofVertex[v]].extend(mesh.positions[v]);
    return boxes;
}

// The pieces that are marked.
std::vector<FoundFault> atPieces(const Mesh& mesh, const Pieces& pieces, const std::vector<std::uint8_t>& isMarked) {
    const std::vector<Box3f> boxes = boxesOf(mesh, pieces);
    std::vector<FoundFault> found;
    for (std::size_t i = 0; i < isMarked.size(); ++i)
        if (isMarked[i] != 0) found.push_back({double(boxes[i].diagonal().norm()), boxes[i].center()});
    return found;
}

std::vector<FoundFault> findCrackPlaces(const Mesh& mesh, const std::vector<HalfEdge>& borders) {
    std::vector<FoundFault> found;
    for (const CrackPair& pair : findCracks(mesh, borders, usualCrackWidth(mesh)))
        found.push_back({pair.width, mesh.positions[pair.kept]});
    return found;
}

Finding overlappingUvs(const Mesh& mesh, const Progress& progress) {
    const UvOverlap overlap = findUvOverlap(mesh, progress);
    std::vector<FoundFault> found;
    for (const TriangleId t : overlap.triangles) {
        const Triangle& triangle = mesh.triangles[t];
        found.push_back(
            {areaNormal(mesh.positions[triangle[0]].cast<double>(), mesh.positions[triangle[1]].cast<double>(),
                        mesh.positions[triangle[2]].cast<double>())
                 .norm(),
             middleOf(mesh, triangle)});
    }
    Finding finding = findingOf(Fault::OverlappingUvs, std::move(found));
    finding.largest = overlap.share;
    if (overlap.materials == 0) return finding;
    finding.detail = "UVs overlap in " + countOf(overlap.materials, "material", "materials") + ", most in " +
                     mesh.materials[overlap.worst].name + " on " + formatNumber(100 * overlap.share) +
                     " % of what they cover";
    return finding;
}

// The most stretched places of a size that can be seen first.
Finding stretchedUvs(const Mesh& mesh) {
    std::vector<FoundFault> found;
    double all = 0, stretched = 0;
    for (const Section& section : mesh.sections) {
        // A texture twice as wide as tall is meant for UVs that are.
        const int number = mesh.materials[section.material].baseColorTexture.texture;
        Eigen::Vector2d size(1, 1);
        if (number >= 0) size = {mesh.textures[std::size_t(number)].width, mesh.textures[std::size_t(number)].height};
        for (TriangleId t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const UvScale scale = uvScale(mesh, t, mesh.uvs, size);
            all += scale.area;
            if (!(scale.area > 0) || scale.most <= mostUvStretch * scale.least) continue;
            stretched += scale.area;
            found.push_back({scale.area, middleOf(mesh, mesh.triangles[t])});
        }
    }
    if (!(stretched > leastUvShare * all)) return {Fault::StretchedUvs, 0, 0, {}, {}};
    Finding finding = findingOf(Fault::StretchedUvs, std::move(found));
    finding.largest = stretched / all;
    return finding;
}

}  // namespace

std::vector<std::uint8_t> looseBits(const Mesh& mesh, const Pieces& pieces, double size) {
    const std::vector<Box3f> boxes = boxesOf(mesh, pieces);
    std::vector<std::uint8_t> isBit(boxes.size());
    for (std::size_t i = 0; i < boxes.size(); ++i)
        isBit[i] = !boxes[i].isEmpty() && double(boxes[i].diagonal().norm()) < size;
    return isBit;
}

std::vector<Finding> findFaults(const Mesh& mesh, const Progress& progress) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    progress.at(0.1);
    const EdgeFaults edges = findEdgeFaults(mesh, around);
    progress.at(0.4);
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    progress.at(0.5);
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<TriangleFaults> byChunk(chunkCount(mesh.triangleCount(), chunkSize));
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) judgeTriangle(mesh, mesh.triangles[t], byChunk[chunk]);
    });
    std::vector<std::vector<FoundFault>> pinched(chunkCount(mesh.vertexCount(), chunkSize));
    std::vector<std::size_t> isolatedByChunk(pinched.size(), 0);
    std::vector<std::vector<FoundFault>> isolated(pinched.size());
    parallelChunks(mesh.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (VertexId v = VertexId(begin); v < end; ++v) {
            if (around.of(v).empty())
                isolated[chunk].push_back({0, mesh.positions[v]});
            else if (fansAt(mesh, v, around.of(v)) > 1)
                pinched[chunk].push_back({0, mesh.positions[v]});
        }
    });
    progress.at(0.8);
    const auto joined = [](const std::vector<std::vector<FoundFault>>& chunks) {
        std::vector<FoundFault> all;
        for (const std::vector<FoundFault>& chunk : chunks) all.insert(all.end(), chunk.begin(), chunk.end());
        return all;
    };
    const auto atEdges = [&](const std::vector<HalfEdge>& list) {
        std::vector<FoundFault> found;
        for (const HalfEdge& edge : list)
            found.push_back({double((mesh.positions[edge.to] - mesh.positions[edge.from]).norm()),
                             (mesh.positions[edge.to] + mesh.positions[edge.from]) / 2});
        return found;
    };
    std::vector<FoundFault> flat, needles, duplicates;
    for (const TriangleFaults& faults : byChunk) {
        flat.insert(flat.end(), faults.flat.begin(), faults.flat.end());
        needles.insert(needles.end(), faults.needles.begin(), faults.needles.end());
    }
    for (const TriangleId t : edges.duplicates) duplicates.push_back({0, middleOf(mesh, mesh.triangles[t])});

    std::vector<Finding> findings;
    const auto add = [&](Finding finding) {
        if (finding.count > 0) findings.push_back(std::move(finding));
    };
    add(findingOf(Fault::NonManifoldEdge, atEdges(edges.nonManifold)));
    add(findingOf(Fault::Winding, atEdges(edges.winding)));
    add(findingOf(Fault::InsideOut, atPieces(mesh, pieces, insideOutPieces(mesh, pieces, edges, progress))));
    add(findingOf(Fault::PinchedVertex, joined(pinched)));
    add(findingOf(Fault::Crack, findCrackPlaces(mesh, edges.borders)));
    add(findingOf(Fault::Hole, holesOf(mesh, edges.borders)));
    add(findingOf(Fault::Duplicate, duplicates));
    add(findingOf(Fault::ZeroArea, flat));
    add(findingOf(Fault::Needle, needles));
    add(findingOf(Fault::LooseBit, atPieces(mesh, pieces, looseBits(mesh, pieces, bitShare * diagonal(mesh)))));
    add(findingOf(Fault::Isolated, joined(isolated)));
    const Box3f box = boundingBox(mesh);
    if (!box.isEmpty()) {
        const double size = diagonal(mesh), metres = size * mesh.metresPerUnit;
        const double away = double(box.center().norm());
        if (size > 0 && away > farRatio * size) add({Fault::FarFromOrigin, 1, away, {box.center()}, {}});
        if (metres > 0 && (metres < 0.001 || metres > 5000)) add({Fault::OddUnit, 1, size, {box.center()}, {}});
    }
    if (mesh.uvs.empty()) {
        if (mesh.triangleCount() > 0) add({Fault::MissingUvs, 1, 0, {}, {}});
    } else {
        add(overlappingUvs(mesh, progress));
        add(stretchedUvs(mesh));
    }
    progress.at(1);
    return findings;
}

std::string describeFinding(const Finding& finding, double metresPerUnit) {
    const auto length = [&] { return formatLength(finding.largest * metresPerUnit); };
    const auto count = [&](const char* one, const char* many) { return countOf(finding.count, one, many); };
    switch (finding.fault) {
        case Fault::Hole: return count("open border", "open borders") + ", the longest " + length() + " around";
        case Fault::NonManifoldEdge: return count("non-manifold edge", "non-manifold edges");
        case Fault::PinchedVertex: return count("pinched vertex", "pinched vertices");
        case Fault::Winding: return count("edge with inconsistent winding", "edges with inconsistent winding");
        case Fault::InsideOut:
            return count("closed piece faces", "closed pieces face") + " inwards, the largest " + length() + " across";
        case Fault::ZeroArea: return count("zero-area triangle", "zero-area triangles");
        case Fault::Duplicate: return count("duplicate triangle", "duplicate triangles");
        case Fault::Needle: return count("needle", "needles") + ", the longest " + length();
        case Fault::Isolated: return count("isolated vertex", "isolated vertices");
        case Fault::LooseBit: return count("loose bit", "loose bits") + ", the largest " + length();
        case Fault::FarFromOrigin: return "Lies " + length() + " from the origin";
        case Fault::OddUnit: return "Measures " + length() + " across";
        case Fault::MissingUvs: return "No UVs";
        case Fault::Crack:
            return count("vertex at a crack", "vertices at cracks") +
                   (finding.largest > 0 ? ", up to " + length() + " wide" : ", whose sides meet but are not joined");
        case Fault::StretchedUvs:
            return "UVs are stretched on " + formatNumber(100 * finding.largest) + " % of the surface";
        case Fault::OverlappingUvs:
        case Fault::LargeTexture:
        case Fault::SheetHog: return finding.detail;
    }
    return {};
}

std::string whyItMatters(Fault fault) {
    switch (fault) {
        case Fault::Hole: return "Shadows and light leak through what should be closed; rims of open things are fine.";
        case Fault::NonManifoldEdge: return "There is no one outer side here: reduction keeps such edges as they are.";
        case Fault::PinchedVertex: return "Surfaces that touch in a point cannot be moved apart; shading is mixed.";
        case Fault::Winding: return "One of the two sides is drawn inside out, and vanishes where backs are not drawn.";
        case Fault::InsideOut:
            return "Mirrored and not turned: where backs are not drawn its far wall shows, and bakes miss it.";
        case Fault::ZeroArea: return "They cover no pixel and have no normal; bakes show black specks there.";
        case Fault::Duplicate: return "Two triangles at the same place flicker, and cost twice.";
        case Fault::Needle: return "They cover few pixels for their cost, and shade unevenly.";
        case Fault::Isolated: return "They cost memory and show nothing.";
        case Fault::LooseBit: return "Dust of a scan, or rivets: each keeps triangles that the rest could use.";
        case Fault::FarFromOrigin: return "Single precision leaves too few digits: surfaces shake and crack.";
        case Fault::OddUnit: return "Hardly anything is of that size; the file's unit may be another one.";
        case Fault::MissingUvs: return "Textures cannot be put on; a level would need new ones.";
        case Fault::Crack: return "Borders that should be one: reduced apart, they open.";
        case Fault::OverlappingUvs: return "Right for what repeats or is mirrored; a bake would write there twice.";
        case Fault::StretchedUvs: return "Textures are four times as coarse one way as the other, or worse.";
        case Fault::LargeTexture: return "Texels that no pixel shows cost memory and loading.";
        case Fault::SheetHog:
            return "What is seen gets fewer texels for it; give the part a smaller factor on the Sheet.";
    }
    return {};
}

std::string repairOf(Fault fault) {
    switch (fault) {
        case Fault::Crack: return "Weld";
        case Fault::Hole: return "Fill";
        case Fault::Winding:
        case Fault::InsideOut: return "Turn";
        case Fault::ZeroArea:
        case Fault::Duplicate:
        case Fault::LooseBit:
        case Fault::Isolated: return "Drop";
        default: return {};
    }
}

bool hasSize(Fault fault) {
    return fault == Fault::Crack || fault == Fault::Hole || fault == Fault::LooseBit;
}

double usualSize(const Mesh& mesh, Fault fault) {
    switch (fault) {
        case Fault::Crack: return usualCrackWidth(mesh);
        case Fault::Hole: return holeShare * diagonal(mesh);
        case Fault::LooseBit: return bitShare * diagonal(mesh);
        default: return 0;
    }
}

}  // namespace um
