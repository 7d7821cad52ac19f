#include "measure/Silhouette.h"

#include "base/Error.h"
#include "base/Parallel.h"

#include <atomic>
#include <bit>
#include <cmath>

namespace um {

namespace {

constexpr double largestPicture = 4096;

// Steps along half an edge of the cube for each number of directions: 6 (2 n)² + 2 of them.
int stepsFor(int count) {
    for (const int steps : {1, 2, 4})
        if (count == 24 * steps * steps + 2) return steps;
    throw InputError("Outlines are measured from 26, 98 or 386 directions, not from " + std::to_string(count) + ".");
}

std::vector<Vec2f> placesIn(const Mesh& mesh, const Vec3d& middle, const Eigen::Matrix<float, 2, 3>& flat) {
    std::vector<Vec2f> places(mesh.vertexCount());
    const Vec3f from = middle.cast<float>();
    for (std::size_t v = 0; v < places.size(); ++v) places[v] = flat * (mesh.positions[v] - from);
    return places;
}

}  // namespace

OutlineDifference compareFrom(const ContourMesh& source, const ContourMesh& level, const Mat3d& turn,
                              double pixelsPerUnit, int across) {
    // Counted from the source's middle, where single precision is best.
    const Vec3d middle = boundingBox(source.mesh()).center().cast<double>();
    const double scale = pixelsPerUnit * across;
    Eigen::Matrix<float, 2, 3> flat;
    flat << (turn.row(0) * scale).cast<float>(), (-turn.row(1) * scale).cast<float>();
    std::vector<Vec2f> sourcePlaces = placesIn(source.mesh(), middle, flat),
                       levelPlaces = placesIn(level.mesh(), middle, flat);
    Eigen::AlignedBox2f box;
    for (const auto* places : {&sourcePlaces, &levelPlaces})
        for (const Vec2f& place : *places) box.extend(place);
    const auto margin = Vec2f::Constant(float(across));
    const Vec2f origin = box.min() - margin;
    const Vec2f size = box.max() + margin - origin;
    for (auto* places : {&sourcePlaces, &levelPlaces})
        for (Vec2f& place : *places) place -= origin;
    SampleMask inSource(int(std::ceil(size.x())), int(std::ceil(size.y())));
    SampleMask inLevel = inSource;
    source.cover(inSource, sourcePlaces);
    level.cover(inLevel, levelPlaces);
    return compareOutlines(inSource, inLevel, across);
}

OutlineDifference compareOutlines(const SampleMask& source, const SampleMask& level, int across) {
    OutlineDifference result;
    const double area = double(across) * across;
    result.sourceArea = double(source.count()) / area;
    result.lost = double(difference(source, level).count()) / area;
    result.grown = double(difference(level, source).count()) / area;
    const std::array<SampleMask, 2> outlines = {source.outline(), level.outline()};
    // Where one of them shows nothing, all of the other is off by as much as the picture is large.
    const double most = std::hypot(source.width(), source.height());
    double sum = 0;
    std::size_t count = 0;
    for (std::size_t side = 0; side < 2; ++side) {
        const SampleMask &own = outlines[side], &other = outlines[1 - side];
        for (int y = 0; y < own.height(); ++y) {
            const auto ownRow = own.row(y), otherRow = other.row(y);
            for (std::size_t i = 0; i < ownRow.size(); ++i) {
                count += std::size_t(std::popcount(ownRow[i]));
                for (std::uint64_t off = ownRow[i] & ~otherRow[i]; off != 0; off &= off - 1) {
                    const int x = int(i) * 64 + std::countr_zero(off);
                    const double distance = other.distanceToNearest(x, y, most) / across;
                    sum += distance;
                    result.max = std::max(result.max, distance);
                }
            }
        }
    }
    result.mean = count > 0 ? sum / double(count) : 0;
    return result;
}

Vec3d Direction::vector() const {
    const double a = azimuth * pi / 180, e = elevation * pi / 180;
    return {std::sin(a) * std::cos(e), std::sin(e), std::cos(a) * std::cos(e)};
}

Mat3d Direction::turn() const {
    const Vec3d towards = vector();
    const Vec3d up = std::abs(towards.y()) > 1 - 1e-9 ? Vec3d(0, 0, towards.y() > 0 ? -1 : 1) : Vec3d::UnitY();
    Mat3d turn;
    turn.row(2) = towards.transpose();
    turn.row(0) = up.cross(towards).normalized().transpose();
    turn.row(1) = towards.cross(Vec3d(turn.row(0).transpose())).transpose();
    return turn;
}

std::string describe(const Direction& direction) {
    static const std::array<const char*, 8> sides = {"front", "front right", "right", "back right",
                                                     "back",  "back left",   "left",  "front left"};
    const auto elevation = int(std::lround(direction.elevation));
    if (elevation > 80) return "from above";
    if (elevation < -80) return "from below";
    const auto eighth = std::size_t(std::lround(direction.azimuth / 45) + 8) % 8;
    std::string text = "from the " + std::string(sides[eighth]);
    if (elevation != 0) text += ", " + std::to_string(std::abs(elevation)) + (elevation > 0 ? "° above" : "° below");
    return text;
}

double standingHeight(const Mesh& mesh) {
    const Box3f box = boundingBox(mesh);
    if (box.isEmpty()) return 0;
    const Vec3d size = (box.max() - box.min()).cast<double>();
    return size.y() > 0.05 * size.maxCoeff() ? size.y() : size.maxCoeff();
}

double mostHeightPixels(const Mesh& source, const Mesh& level) {
    Box3f both = boundingBox(source);
    both.extend(boundingBox(level));
    const double size = double((both.max() - both.min()).norm());
    return size > 0 ? largestPicture * standingHeight(source) / size : largestPicture;
}

std::vector<Direction> viewDirections(int count) {
    const int n = stepsFor(count);
    std::vector<Direction> directions;
    // Level by level from below, so that neighbours in the list are neighbours on the sphere.
    for (int y = -n; y <= n; ++y)
        for (int z = -n; z <= n; ++z)
            for (int x = -n; x <= n; ++x) {
                if (std::max({std::abs(x), std::abs(y), std::abs(z)}) != n) continue;
                // Equal angles along the cube's edges instead of equal lengths.
                const auto blown = [&](int i) { return std::tan(pi / 4 * i / n); };
                const Vec3d d = Vec3d(blown(x), blown(y), blown(z)).normalized();
                directions.push_back({x == 0 && z == 0 ? 0 : std::atan2(d.x(), d.z()) * 180 / pi,
                                      std::asin(std::clamp(d.y(), -1.0, 1.0)) * 180 / pi});
            }
    return directions;
}

Silhouette measureSilhouette(const Mesh& source, const Mesh& level, const SilhouetteSettings& settings,
                             const Progress& progress) {
    return measureSilhouette(ContourMesh(source), ContourMesh(level), settings, progress);
}

Silhouette measureSilhouette(const ContourMesh& source, const ContourMesh& level, const SilhouetteSettings& settings,
                             const Progress& progress) {
    Silhouette result;
    result.heightPixels = settings.heightPixels;
    result.directions = viewDirections(settings.views);
    result.views.resize(result.directions.size());
    const Box3f box = boundingBox(source.mesh());
    if (box.isEmpty()) return result;
    const double height = standingHeight(source.mesh());
    if (!(height > 0) || !(settings.heightPixels > 0)) return result;
    const double pixelsPerUnit = settings.heightPixels / height;
    if (settings.heightPixels > mostHeightPixels(source.mesh(), level.mesh()))
        throw MeshError("Outlines at " + std::to_string(int(settings.heightPixels)) +
                        " px would need pictures of more than 4,096 pixels a side; ask for fewer.");
    // Of a direction and its opposite, the later one in the list is drawn.
    const std::size_t count = result.views.size(), half = count / 2;
    std::atomic<std::size_t> done = 0;
    parallelFor(
        half,
        [&](std::size_t i) {
            const std::size_t view = half + i;
            result.views[view] =
                compareFrom(source, level, result.directions[view].turn(), pixelsPerUnit, settings.across);
            result.views[count - 1 - view] = result.views[view];
            progress.at(double(++done) / double(half));
        },
        1);
    double area = 0;
    // Of two opposite views, which are the same, the one from above is named.
    for (std::size_t i = count; i-- > 0;) {
        const OutlineDifference& view = result.views[i];
        result.mean += view.mean / double(count);
        result.lost += view.lost;
        result.grown += view.grown;
        area += view.sourceArea;
        if (view.max <= result.max) continue;
        result.max = view.max;
        result.worst = i;
    }
    if (area > 0) {
        result.lost /= area;
        result.grown /= area;
    }
    result.areaShare = result.lost + result.grown;
    return result;
}

OutlinePair drawOutlines(const ContourMesh& source, const ContourMesh& level,
                         const Eigen::Matrix<double, 3, 4>& project, int width, int height, int across,
                         const Progress& progress) {
    OutlinePair pair{SampleMask(width * across, height * across), SampleMask(width * across, height * across)};
    const auto draw = [&](const ContourMesh& contour, SampleMask& mask) {
        constexpr float hidden = std::numeric_limits<float>::quiet_NaN();
        const Mesh& mesh = contour.mesh();
        std::vector<Vec2f> places(mesh.vertexCount());
        parallelFor(places.size(), [&](std::size_t v) {
            const Vec3d seen = project * mesh.positions[v].cast<double>().homogeneous();
            places[v] = seen.z() > 0 ? Vec2f((seen.head<2>() * (across / seen.z())).cast<float>())
                                     : Vec2f(Vec2f::Constant(hidden));
        });
        progress.check();
        contour.cover(mask, places);
        progress.check();
    };
    draw(source, pair.source);
    draw(level, pair.level);
    return pair;
}

}  // namespace um
