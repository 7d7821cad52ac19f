#include "bake/Transfer.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "draw/TriangleRows.h"
#include "mesh/Tangents.h"

#include <embree3/rtcore.h>

#include <array>
#include <atomic>
#include <cmath>
#include <limits>
#include <optional>

namespace um {
namespace {

constexpr int tileSize = 64;

struct Hit {
    TriangleId triangle = 0;
    Vec3f at = Vec3f::Zero();  // shares of its corners
    float height = 0;
};

// What a ray may hit, handed to the filter with it.
struct RayQuestion {
    RTCIntersectContext context;  // must be first: the filter is handed only this
    const SurfaceMaterial* source;
    Vec3f outwards;
    std::uint32_t part;  // of the source; `anyPart` for all

    static constexpr std::uint32_t anyPart = 0xffffffffu;
};

// Lets rays pass through what faces the other way, or belongs to another part.
void passWhatIsNotAsked(const RTCFilterFunctionNArguments* arguments) {
    const auto& question = *reinterpret_cast<const RayQuestion*>(arguments->context);
    const RTCHit& hit = *reinterpret_cast<const RTCHit*>(arguments->hit);
    const bool facesAway =
        hit.Ng_x * question.outwards.x() + hit.Ng_y * question.outwards.y() + hit.Ng_z * question.outwards.z() <= 0;
    const bool otherPart =
        question.part != RayQuestion::anyPart && question.source->partOf(hit.primID) != question.part;
    if (otherPart || (facesAway && !question.source->materialOf(hit.primID).doubleSided)) arguments->valid[0] = 0;
}

// The source, ready for rays.
class RayScene {
public:
    explicit RayScene(const SurfaceMaterial& source) : m_source(source), m_device(rtcNewDevice(nullptr)) {
        if (m_device != nullptr) m_scene = rtcNewScene(m_device);
        if (m_scene == nullptr) throw MeshError("The search structure for rays cannot be made on this machine.");
        const Mesh& mesh = source.mesh();
        RTCGeometry geometry = rtcNewGeometry(m_device, RTC_GEOMETRY_TYPE_TRIANGLE);
        // Of its own: the library reads a little beyond the last vertex.
        auto* places = static_cast<float*>(
            rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, mesh.vertexCount()));
        std::copy_n(mesh.positions.front().data(), 3 * mesh.vertexCount(), places);
        rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh.triangles.data(), 0, 12,
                                   mesh.triangleCount());
        rtcSetGeometryIntersectFilterFunction(geometry, passWhatIsNotAsked);
        rtcCommitGeometry(geometry);
        rtcAttachGeometry(m_scene, geometry);
        rtcReleaseGeometry(geometry);
        rtcSetSceneFlags(m_scene, RTC_SCENE_FLAG_ROBUST | RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION);
        rtcCommitScene(m_scene);
    }
    ~RayScene() {
        rtcReleaseScene(m_scene);
        rtcReleaseDevice(m_device);
    }
    RayScene(const RayScene&) = delete;
    RayScene& operator=(const RayScene&) = delete;

    // The nearest surface along `outwards` or against it.
    std::optional<Hit> nearest(const Vec3f& from, const Vec3f& outwards, float depth, std::uint32_t part) const {
        RTCRayHit inner = ray(from, -outwards, depth), outer = ray(from, outwards, depth);
        cast(inner, outwards, part);
        if (inner.hit.geomID != RTC_INVALID_GEOMETRY_ID) outer.ray.tfar = std::min(depth, inner.ray.tfar);
        cast(outer, outwards, part);
        if (outer.hit.geomID != RTC_INVALID_GEOMETRY_ID) return hitOf(outer, outer.ray.tfar);
        if (inner.hit.geomID != RTC_INVALID_GEOMETRY_ID) return hitOf(inner, -inner.ray.tfar);
        return std::nullopt;
    }

    bool isBlocked(const Vec3f& from, const Vec3f& direction, float near, float far) const {
        RTCRayHit question = ray(from, direction, far);
        question.ray.tnear = near;
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        rtcOccluded1(m_scene, &context, &question.ray);
        return question.ray.tfar < 0;
    }

private:
    static RTCRayHit ray(const Vec3f& from, const Vec3f& direction, float far) {
        RTCRayHit result{};
        result.ray.org_x = from.x();
        result.ray.org_y = from.y();
        result.ray.org_z = from.z();
        result.ray.dir_x = direction.x();
        result.ray.dir_y = direction.y();
        result.ray.dir_z = direction.z();
        result.ray.tfar = far;
        result.ray.mask = ~0u;
        result.hit.geomID = RTC_INVALID_GEOMETRY_ID;
        return result;
    }
    void cast(RTCRayHit& question, const Vec3f& outwards, std::uint32_t part) const {
        RayQuestion about{{}, &m_source, outwards, part};
        rtcInitIntersectContext(&about.context);
        rtcIntersect1(m_scene, &about.context, &question);
    }
    static Hit hitOf(const RTCRayHit& found, float height) {
        return {found.hit.primID, {1 - found.hit.u - found.hit.v, found.hit.u, found.hit.v}, height};
    }

    const SurfaceMaterial& m_source;
    RTCDevice m_device;
    RTCScene m_scene = nullptr;
};

// A triangle in the sheet, in samples from the upper left.
struct SheetTriangle {
    std::array<Vec2d, 3> corners;
    double area = 0;  // twice

    // Shares of the corners at a place; none is below 0 within the triangle.
    Vec3d at(const Vec2d& p) const {
        const auto cross = [](const Vec2d& a, const Vec2d& b) { return a.x() * b.y() - a.y() * b.x(); };
        Vec3d shares;
        for (std::size_t k = 0; k < 3; ++k)
            shares[long(k)] = cross(corners[(k + 1) % 3] - p, corners[(k + 2) % 3] - p) / area;
        return shares;
    }
};

class Baker {
public:
    /// @param cage  null where each triangle of the level shows itself
    Baker(const SurfaceMaterial& source, const Mesh& level, const std::vector<TriangleId>& lying, const Cage* cage,
          const TransferSettings& settings)
        : m_source(source),
          m_level(level),
          m_cage(cage),
          m_settings(settings),
          m_tangents(makeTangents(level)),
          m_sectionOf(sectionOfTriangles(level)),
          m_reach(settings.occlusionDistance > 0 ? float(settings.occlusionDistance)
                                                 : float(diagonal(source.mesh()) / 10)),
          m_tiles((settings.size + tileSize - 1) / tileSize) {
        for (const Part& part : level.parts) {
            std::uint32_t same = RayQuestion::anyPart;
            for (std::uint32_t p = 0; p < source.mesh().parts.size() && settings.partsApart; ++p)
                if (source.mesh().parts[p].name == part.name) same = p;
            m_partInSource.push_back(same);
        }
        if (cage != nullptr) m_rays.emplace(source);
        sortIntoTiles(lying);
    }

    Sheet bake(const Progress& progress) {
        Sheet sheet;
        sheet.size = m_settings.size;
        sheet.texels.resize(std::size_t(sheet.size) * std::size_t(sheet.size));
        sheet.states.assign(sheet.texels.size(), Sheet::State::Empty);
        std::atomic<std::size_t> done = 0, covered = 0, missed = 0;
        parallelFor(
            m_inTile.size(),
            [&](std::size_t tile) {
                const auto [own, without] = bakeTile(int(tile), sheet);
                covered += own;
                missed += without;
                if (m_settings.tileDone)
                    m_settings.tileDone(sheet, int(tile) % m_tiles * tileSize, int(tile) / m_tiles * tileSize,
                                        tileSize);
                progress.at(double(++done) / double(m_inTile.size()));
            },
            1);
        sheet.covered = covered;
        sheet.missed = missed;
        return sheet;
    }

private:
    SheetTriangle flat(TriangleId t) const {
        SheetTriangle result;
        const double scale = double(m_settings.size) * m_settings.samples;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2f& uv = m_level.uvs[m_level.wedgesOf(t)[k]];
            result.corners[k] = Vec2d(double(uv.x()), 1 - double(uv.y())) * scale;
        }
        const Vec2d ab = result.corners[1] - result.corners[0], ac = result.corners[2] - result.corners[0];
        result.area = ab.x() * ac.y() - ab.y() * ac.x();
        return result;
    }

    void sortIntoTiles(const std::vector<TriangleId>& lying) {
        m_inTile.resize(std::size_t(m_tiles) * std::size_t(m_tiles));
        const double across = double(tileSize) * m_settings.samples;
        for (const TriangleId t : lying) {
            const SheetTriangle triangle = flat(t);
            if (!(std::abs(triangle.area) > 0) || !std::isfinite(triangle.area)) continue;
            Eigen::AlignedBox2d box;
            for (const Vec2d& corner : triangle.corners) box.extend(corner);
            const auto tileOf = [&](double v) { return int(std::clamp(std::floor(v / across), 0.0, m_tiles - 1.0)); };
            for (int y = tileOf(box.min().y()); y <= tileOf(box.max().y()); ++y)
                for (int x = tileOf(box.min().x()); x <= tileOf(box.max().x()); ++x)
                    m_inTile[std::size_t(y * m_tiles + x)].push_back(t);
        }
    }

    // @returns how many texels the level covers there, and of how many of those nothing was found
    std::pair<std::size_t, std::size_t> bakeTile(int tile, Sheet& sheet) const {
        const int n = m_settings.samples, across = tileSize * n;
        const int left = tile % m_tiles * tileSize, top = tile / m_tiles * tileSize;
        std::vector<TriangleId> seen(std::size_t(across) * std::size_t(across), noIndex);
        for (const TriangleId t : m_inTile[std::size_t(tile)]) drawInto(seen, t, left * n, top * n, across);
        std::size_t covered = 0, missed = 0;
        for (int y = 0; y < tileSize && top + y < sheet.size; ++y)
            for (int x = 0; x < tileSize && left + x < sheet.size; ++x) {
                SheetTexel sum;
                int samples = 0, hits = 0;
                for (int sy = 0; sy < n; ++sy)
                    for (int sx = 0; sx < n; ++sx) {
                        const int column = x * n + sx, row = y * n + sy;
                        const TriangleId t = seen[std::size_t(row) * std::size_t(across) + std::size_t(column)];
                        if (t == noIndex) continue;
                        ++samples;
                        hits += addSample(sum, t, {left * n + column + 0.5, top * n + row + 0.5}) ? 1 : 0;
                    }
                if (samples == 0) continue;
                const std::size_t place = sheet.placeOf(left + x, top + y);
                ++covered;
                if (hits == 0) {
                    sheet.states[place] = Sheet::State::Missed;
                    ++missed;
                    continue;
                }
                sheet.states[place] = Sheet::State::Hit;
                sheet.texels[place] = PackedTexel(mean(sum, float(hits)));
            }
        return {covered, missed};
    }

    // Which triangle each sample of a tile lies in; on a common edge the one of the lower number.
    void drawInto(std::vector<TriangleId>& seen, TriangleId t, int left, int top, int across) const {
        const SheetTriangle triangle = flat(t);
        const auto& [a, b, c] = triangle.corners;
        const TriangleRows rows(a, b, c, {left, left + across - 1}, {top, top + across - 1});
        for (int y = rows.rows().first; y <= rows.rows().last; ++y) {
            const PixelRange columns = rows.columns(y);
            for (int x = columns.first; x <= columns.last; ++x) {
                TriangleId& here = seen[std::size_t(y - top) * std::size_t(across) + std::size_t(x - left)];
                if (here == noIndex && triangle.at({x + 0.5, y + 0.5}).minCoeff() >= 0) here = t;
            }
        }
    }

    bool addSample(SheetTexel& sum, TriangleId t, const Vec2d& place) const {
        const Vec3f at = flat(t).at(place).cast<float>();
        const Triangle &corners = m_level.triangles[t], &wedges = m_level.wedgesOf(t);
        Vec3f position = Vec3f::Zero(), outwards = Vec3f::Zero(), normal = Vec3f::Zero(), tangent = Vec3f::Zero();
        float depth = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const float share = at[long(k)];
            position += share * m_level.positions[corners[k]];
            outwards += share * (m_cage != nullptr ? m_cage->directions[corners[k]] : m_level.normals[wedges[k]]);
            if (m_cage != nullptr) depth += share * m_cage->depths[corners[k]];
            normal += share * m_level.normals[wedges[k]];
            tangent += share * m_tangents[wedges[k]].head<3>();
        }
        const float length = outwards.norm();
        if (!(length > 1e-6f)) return false;
        outwards /= length;
        const std::uint32_t part = m_partInSource[m_level.sections[m_sectionOf[t]].part];
        const std::optional<Hit> hit =
            m_cage != nullptr ? m_rays->nearest(position, outwards, depth, part) : Hit{t, at, 0};
        if (!hit) return false;
        SurfaceLook look = m_source.look(hit->triangle, hit->at);
        if (m_cage != nullptr && look.normal.dot(outwards) < 0 && m_source.materialOf(hit->triangle).doubleSided)
            look.normal = -look.normal;
        if (m_rays && m_settings.occlusionRays > 0)
            look.occlusion *= openness(position + hit->height * outwards, look.normal, std::uint64_t(t), place);
        sum.baseColor += look.baseColor;
        sum.emission += look.emission;
        sum.opacity += look.opacity;
        sum.metallic += look.metallic;
        sum.roughness += look.roughness;
        sum.occlusion += look.occlusion;
        sum.height += hit->height;
        sum.objectNormal += look.normal;
        sum.normal += inTangentSpace(look.normal, normal.normalized(), tangent.normalized(), m_tangents[wedges[0]].w());
        return true;
    }

    // Undoes what a renderer does: value times (tangent, bitangent, normal), which are interpolated and brought to unit
    // length, but not made square to one another.
    static Vec3f inTangentSpace(const Vec3f& value, const Vec3f& normal, const Vec3f& tangent, float side) {
        Eigen::Matrix3f frame;
        frame.col(0) = tangent;
        frame.col(1) = side * normal.cross(tangent);
        frame.col(2) = normal;
        const Vec3f result = frame.partialPivLu().solve(value);
        const float length = result.norm();
        return std::isfinite(length) && length > 1e-6f ? Vec3f(result / length) : Vec3f(Vec3f::UnitZ());
    }

    // The share of light from all sides that reaches a place; directions as likely as they count.
    float openness(const Vec3f& place, const Vec3f& normal, std::uint64_t seed, const Vec2d& where) const {
        const Vec3f side = normal.unitOrthogonal(), other = normal.cross(side);
        const std::uint64_t start = mixBits(seed * 0x9e3779b97f4a7c15u + std::uint64_t(where.y() * 65536 + where.x()));
        const double turn = double(start >> 11) * 0x1p-53;
        int open = 0;
        for (int i = 0; i < m_settings.occlusionRays; ++i) {
            const double radius = std::sqrt((i + 0.5) / m_settings.occlusionRays);
            const double angle = 2 * pi * (i * 0.6180339887498949 + turn);
            const Vec3f direction = float(radius * std::cos(angle)) * side + float(radius * std::sin(angle)) * other +
                                    float(std::sqrt(std::max(0.0, 1 - radius * radius))) * normal;
            open += m_rays->isBlocked(place, direction, 1e-4f * m_reach, m_reach) ? 0 : 1;
        }
        return float(open) / float(m_settings.occlusionRays);
    }

    static SheetTexel mean(SheetTexel sum, float count) {
        for (Vec3f* value : {&sum.baseColor, &sum.normal, &sum.objectNormal, &sum.emission}) *value /= count;
        for (float* value : {&sum.opacity, &sum.metallic, &sum.roughness, &sum.occlusion, &sum.height}) *value /= count;
        return sum;
    }

    const SurfaceMaterial& m_source;
    const Mesh& m_level;
    const Cage* m_cage;
    const TransferSettings m_settings;
    std::optional<RayScene> m_rays;
    const std::vector<Vec4f> m_tangents;
    const std::vector<std::uint16_t> m_sectionOf;
    const float m_reach;
    const int m_tiles;
    std::vector<std::uint32_t> m_partInSource;
    std::vector<std::vector<TriangleId>> m_inTile;
};

std::uint16_t packed(float value) {
    return std::uint16_t(std::lround(std::clamp(value, 0.0f, 1.0f) * 65535.0f));
}

std::array<std::uint16_t, 3> packedColor(const Vec3f& color) {
    return {packed(color.x()), packed(color.y()), packed(color.z())};
}

std::array<std::int16_t, 3> packedDirection(const Vec3f& direction) {
    const auto one = [](float value) { return std::int16_t(std::lround(std::clamp(value, -1.0f, 1.0f) * 32767.0f)); };
    return {one(direction.x()), one(direction.y()), one(direction.z())};
}

template <class Integer>
Vec3f unpackedVector(const std::array<Integer, 3>& values) {
    return Vec3f(values[0], values[1], values[2]) / float(std::numeric_limits<Integer>::max());
}

void requireUvsAndNormals(const Mesh& mesh) {
    if (mesh.uvs.empty()) throw MeshError("The mesh has no UVs to bake to; unwrap it first.");
    if (mesh.normals.empty()) throw MeshError("The mesh has no normals to bake against.");
}

}  // namespace

PackedTexel::PackedTexel(const SheetTexel& texel)
    : m_baseColor(packedColor(texel.baseColor)),
      m_emission(packedColor(texel.emission)),
      m_normal(packedDirection(texel.normal)),
      m_objectNormal(packedDirection(texel.objectNormal)),
      m_opacity(packed(texel.opacity)),
      m_metallic(packed(texel.metallic)),
      m_roughness(packed(texel.roughness)),
      m_occlusion(packed(texel.occlusion)),
      m_height(texel.height) {}

SheetTexel PackedTexel::unpacked() const {
    SheetTexel texel;
    texel.baseColor = unpackedVector(m_baseColor);
    texel.emission = unpackedVector(m_emission);
    texel.normal = unpackedVector(m_normal);
    texel.objectNormal = unpackedVector(m_objectNormal);
    texel.opacity = float(m_opacity) / 65535;
    texel.metallic = float(m_metallic) / 65535;
    texel.roughness = float(m_roughness) / 65535;
    texel.occlusion = float(m_occlusion) / 65535;
    texel.height = m_height;
    return texel;
}

Sheet transfer(const SurfaceMaterial& source, const Mesh& level, const std::vector<TriangleId>& lying, const Cage& cage,
               const TransferSettings& settings, const Progress& progress) {
    requireUvsAndNormals(level);
    return Baker(source, level, lying, &cage, settings).bake(progress);
}

Sheet repaint(const SurfaceMaterial& source, const Mesh& mesh, const std::vector<TriangleId>& lying,
              const TransferSettings& settings, const Progress& progress) {
    requireUvsAndNormals(mesh);
    return Baker(source, mesh, lying, nullptr, settings).bake(progress);
}

std::vector<std::vector<TriangleId>> trianglesBySheet(const std::vector<int>& sheetOf, int sheets) {
    std::vector<std::vector<TriangleId>> result(std::size_t(std::max(0, sheets)));
    for (TriangleId t = 0; t < sheetOf.size(); ++t)
        if (sheetOf[t] >= 0) result[std::size_t(sheetOf[t])].push_back(t);
    return result;
}

void dilate(Sheet& sheet) {
    // Each texel learns from its neighbours which filled one is nearest, from far steps to near ones (Rong & Tan 2006,
    // jump flooding).
    using Place = std::array<std::int16_t, 2>;
    constexpr Place none = {-1, -1};
    const int n = sheet.size;
    std::vector<Place> nearest(sheet.texels.size(), none), next;
    for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x)
            if (sheet.states[sheet.placeOf(x, y)] == Sheet::State::Hit)
                nearest[sheet.placeOf(x, y)] = {std::int16_t(x), std::int16_t(y)};
    const auto squared = [](const Place& a, int x, int y) { return (a[0] - x) * (a[0] - x) + (a[1] - y) * (a[1] - y); };
    int step = 1;
    while (step < n) step *= 2;
    for (; step > 0; step /= 2) {
        next = nearest;
        parallelFor(
            std::size_t(n),
            [&](std::size_t row) {
                const int y = int(row);
                for (int x = 0; x < n; ++x) {
                    Place& best = next[sheet.placeOf(x, y)];
                    for (int dy = -step; dy <= step; dy += step)
                        for (int dx = -step; dx <= step; dx += step) {
                            if (x + dx < 0 || x + dx >= n || y + dy < 0 || y + dy >= n) continue;
                            const Place& known = nearest[sheet.placeOf(x + dx, y + dy)];
                            if (known != none && (best == none || squared(known, x, y) < squared(best, x, y)))
                                best = known;
                        }
                }
            },
            16);
        nearest.swap(next);
    }
    for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
            const std::size_t place = sheet.placeOf(x, y);
            if (sheet.states[place] != Sheet::State::Hit && nearest[place] != none)
                sheet.texels[place] = sheet.texels[sheet.placeOf(nearest[place][0], nearest[place][1])];
        }
}

}  // namespace um
