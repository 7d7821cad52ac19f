#include "measure/Silhouette.h"

#include "base/Error.h"
#include "base/Parallel.h"

#include <atomic>
#include <cmath>

namespace um {

namespace {

constexpr double largestOutline = 4096;

// Steps along half an edge of the cube for each number of directions: 6 (2 n)² + 2 of them.
int stepsFor(int count) {
    for (const int steps : {1, 2, 4})
        if (count == 24 * steps * steps + 2) return steps;
    throw InputError("Outlines are measured from 26, 98 or 386 directions, not from " + std::to_string(count) + ".");
}

// How positions become places in a picture: counted from a middle, where single precision is best.
struct View {
    Vec3f middle;
    Eigen::Matrix<float, 2, 3> flat;  // to samples
    int across;

    View(const Mesh& source, const Mat3d& turn, double pixelsPerUnit, int samplesAcross)
        : middle(boundingBox(source).center()), across(samplesAcross) {
        const double scale = pixelsPerUnit * across;
        flat << (turn.row(0) * scale).cast<float>(), (-turn.row(1) * scale).cast<float>();
    }

    // With a pixel's margin in the box around them.
    std::pair<std::vector<Vec2f>, Eigen::AlignedBox2f> placesOf(const Mesh& mesh) const {
        std::vector<Vec2f> places(mesh.vertexCount());
        Eigen::AlignedBox2f box;
        for (std::size_t v = 0; v < places.size(); ++v) {
            places[v] = flat * (mesh.positions[v] - middle);
            box.extend(places[v]);
        }
        const auto margin = Vec2f::Constant(float(across));
        return {std::move(places), Eigen::AlignedBox2f(box.min() - margin, box.max() + margin)};
    }
};

void cover(const ContourMesh& mesh, OutlinePicture& picture, std::vector<Vec2f> places) {
    for (Vec2f& place : places) place -= picture.origin;
    mesh.cover(picture.mask, places);
}

OutlinePicture drawn(const ContourMesh& mesh, const View& view) {
    auto [places, box] = view.placesOf(mesh.mesh());
    OutlinePicture picture{SampleMask(int(std::ceil(box.sizes().x())), int(std::ceil(box.sizes().y()))), box.min()};
    cover(mesh, picture, std::move(places));
    return picture;
}

// The same picture with room for a box. To the left it grows by whole words, so that rows are copied as they are.
OutlinePicture widened(const OutlinePicture& picture, const Eigen::AlignedBox2f& box) {
    constexpr float word = 64;
    const Vec2f before = (picture.origin - box.min()).cwiseMax(0.0f);
    const int left = int(std::ceil(before.x() / word) * word), top = int(std::ceil(before.y()));
    const Vec2f origin = picture.origin - Vec2f(float(left), float(top));
    const Vec2f size = (box.max() - origin).array().ceil();
    OutlinePicture result{SampleMask(std::max(int(size.x()), left + picture.mask.width()),
                                     std::max(int(size.y()), top + picture.mask.height())),
                          origin};
    for (int y = 0; y < picture.mask.height(); ++y) {
        const auto row = picture.mask.row(y);
        std::copy(row.begin(), row.end(), result.mask.row(y + top).begin() + left / int(word));
    }
    return result;
}

OutlineDifference compareWith(const OutlinePicture& source, const ContourMesh& level, const View& view) {
    auto [places, box] = view.placesOf(level.mesh());
    const OutlinePicture inSource = widened(source, box);
    OutlinePicture inLevel{SampleMask(inSource.mask.width(), inSource.mask.height()), inSource.origin};
    cover(level, inLevel, std::move(places));
    return compareOutlines(inSource.mask, inLevel.mask, view.across);
}

double pixelsPerUnit(const Mesh& source, const SilhouetteSettings& settings) {
    const double height = standingHeight(source);
    return height > 0 ? std::max(0.0, settings.heightPixels) / height : 0;
}

// Compares from all directions.
// @param pictureOf  called with the number of a direction and its view
template <class PictureOf>
Silhouette measureFrom(const PictureOf& pictureOf, const Mesh& source, const ContourMesh& level,
                       const SilhouetteSettings& settings, const Progress& progress) {
    Silhouette result;
    result.heightPixels = settings.heightPixels;
    result.directions = viewDirections(settings.views);
    result.views.resize(result.directions.size());
    const double scale = pixelsPerUnit(source, settings);
    if (!(scale > 0)) return result;
    if (settings.heightPixels > mostHeightPixels(source, level.mesh()))
        throw MeshError("Outlines at " + std::to_string(int(settings.heightPixels)) +
                        " px would need pictures of more than 4,096 pixels a side; ask for fewer.");
    // Of a direction and its opposite, the later one in the list is drawn.
    const std::size_t count = result.views.size(), half = count / 2;
    std::atomic<std::size_t> done = 0;
    parallelFor(
        half,
        [&](std::size_t i) {
            const std::size_t direction = half + i;
            const View view(source, result.directions[direction].turn(), scale, settings.across);
            result.views[direction] = compareWith(pictureOf(direction, view), level, view);
            result.views[count - 1 - direction] = result.views[direction];
            progress.at(double(++done) / double(half));
        },
        1);
    double area = 0;
    // Of two opposite views, which are the same, the one from above is named.
    result.worst = count - 1;
    for (std::size_t i = count; i-- > 0;) {
        const OutlineDifference& view = result.views[i];
        result.mean += view.mean / double(count);
        result.lost += view.lost;
        result.grown += view.grown;
        area += view.sourceArea;
        if (view.isWorseThan(result.views[result.worst])) result.worst = i;
    }
    result.max = result.views[result.worst].max;
    if (area > 0) {
        result.lost /= area;
        result.grown /= area;
    }
    result.areaShare = result.lost + result.grown;
    return result;
}

}  // namespace

OutlineDifference compareFrom(const ContourMesh& source, const ContourMesh& level, const Mat3d& turn,
                              double pixelsPerUnit, int across) {
    const View view(source.mesh(), turn, pixelsPerUnit, across);
    return compareWith(drawn(source, view), level, view);
}

OutlineDifference compareOutlines(const SampleMask& source, const SampleMask& level, int across) {
    OutlineDifference result;
    const double area = double(across) * across;
    result.sourceArea = double(source.count()) / area;
    const SampleMask lost = difference(source, level), grown = difference(level, source);
    result.lost = double(lost.count()) / area;
    result.grown = double(grown.count()) / area;
    // Where one of them shows nothing, all of the other is off by as much as the picture is large.
    const double most = std::hypot(source.width(), source.height());
    result.max = std::max(farthestFrom(level, lost, most), farthestFrom(source, grown, most)) / across;
    const double length = (source.outlineLength() + level.outlineLength()) / 2 / across;
    if (length > 0) result.mean = (result.lost + result.grown) / length;
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
    return size > 0 ? largestOutline * standingHeight(source) / size : largestOutline;
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
    return measureFrom([&](std::size_t, const View& view) { return drawn(source, view); }, source.mesh(), level,
                       settings, progress);
}

Silhouette measureSilhouette(const SourceOutlines& source, const ContourMesh& level, const Progress& progress) {
    const auto pictureOf = [&](std::size_t direction, const View&) -> const OutlinePicture& {
        return source.picture(direction);
    };
    return measureFrom(pictureOf, source.source().mesh(), level, source.settings(), progress);
}

SourceOutlines::SourceOutlines(const ContourMesh& source, const SilhouetteSettings& settings, const Progress& progress)
    : m_source(source), m_settings(settings), m_pictures(viewDirections(settings.views).size() / 2) {
    const std::vector<Direction> directions = viewDirections(settings.views);
    const double scale = pixelsPerUnit(source.mesh(), settings);
    if (!(scale > 0)) return;
    parallelFor(
        m_pictures.size(),
        [&](std::size_t i) {
            progress.check();
            const Mat3d turn = directions[m_pictures.size() + i].turn();
            m_pictures[i] = drawn(source, View(source.mesh(), turn, scale, settings.across));
        },
        1);
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
