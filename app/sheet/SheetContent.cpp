#include "app/sheet/SheetContent.h"

#include "base/Parallel.h"
#include "base/TrianglePoint.h"

#include <cmath>
#include <QCoreApplication>
#include <QPainter>

namespace um::app {
namespace {

struct SheetText {
    Q_DECLARE_TR_FUNCTIONS(SheetContent)
};

const TextureUse& textureFor(const Material& material, SheetValue value) {
    switch (value) {
        case SheetValue::Normal: return material.normalTexture;
        case SheetValue::Roughness:
        case SheetValue::Metalness: return material.metallicRoughnessTexture;
        case SheetValue::Occlusion: return material.occlusionTexture;
        case SheetValue::Emission: return material.emissionTexture;
        default: return material.baseColorTexture;
    }
}

QImage imageFrom(const std::string& bytes) {
    return QImage::fromData(reinterpret_cast<const uchar*>(bytes.data()), int(bytes.size()))
        .convertToFormat(QImage::Format_RGBA8888);
}

// Red: nothing was found.
bool isMiss(const uchar* texel) {
    return texel[0] >= 128 && texel[1] <= 128;
}

// One channel in grey; 0 to 3 are red, green, blue and alpha.
QImage grey(const QImage& image, int channel) {
    QImage result(image.size(), QImage::Format_Grayscale8);
    for (int y = 0; y < image.height(); ++y) {
        const uchar* from = image.constScanLine(y);
        uchar* to = result.scanLine(y);
        for (int x = 0; x < image.width(); ++x) to[x] = from[4 * x + channel];
    }
    return result;
}

QImage checker() {
    constexpr int squares = 32, size = 1024;
    QImage image(size, size, QImage::Format_RGB32);
    QPainter painter(&image);
    for (int y = 0; y < squares; ++y)
        for (int x = 0; x < squares; ++x)
            painter.fillRect(x * size / squares, y * size / squares, size / squares, size / squares,
                             (x + y) % 2 == 0 ? QColor(222, 219, 210) : QColor(96, 104, 108));
    return image;
}

QImage valueImage(const Mesh& mesh, std::uint32_t material, SheetValue value, const std::string* misses) {
    if (value == SheetValue::Checker) return checker();
    if (value == SheetValue::Misses) return misses != nullptr ? imageFrom(*misses) : QImage();
    const TextureUse& use = textureFor(mesh.materials[material], value);
    if (!use || use.second) return {};
    const QImage image = imageFrom(*mesh.textures[std::size_t(use.texture)].bytes);
    switch (value) {
        case SheetValue::Opacity: return grey(image, 3);
        case SheetValue::Roughness: return grey(image, 1);
        case SheetValue::Metalness: return grey(image, 2);
        case SheetValue::Occlusion: return grey(image, 0);
        default: return image.convertToFormat(QImage::Format_RGBX8888);
    }
}

std::array<int, 5> texturesOf(const Material& material) {
    return {material.baseColorTexture.texture, material.normalTexture.texture,
            material.metallicRoughnessTexture.texture, material.occlusionTexture.texture,
            material.emissionTexture.texture};
}

// Small enough to be on the model at once; a texel is white if any of those that it stands for found nothing.
std::shared_ptr<const MissPictures> missPictures(const std::shared_ptr<const Mesh>& mesh,
                                                 const std::vector<std::shared_ptr<const std::string>>& misses) {
    constexpr int most = 1024;
    auto pictures = std::make_shared<MissPictures>();
    pictures->mesh = mesh;
    for (std::uint32_t m = 0; m < mesh->materials.size(); ++m) pictures->sheetOf.push_back(sheetOf(*mesh, m));
    for (const auto& bytes : misses) {
        const QImage image = imageFrom(*bytes);
        const int size = std::max(1, std::min(most, image.width()));
        QImage& small = pictures->sheets.emplace_back(size, size, QImage::Format_Grayscale8);
        small.fill(0);
        for (int y = 0; y < image.height(); ++y) {
            const uchar* from = image.constScanLine(y);
            uchar* to = small.scanLine(int(qint64(y) * size / image.height()));
            for (int x = 0; x < image.width(); ++x)
                if (isMiss(from + 4 * x)) to[qint64(x) * size / image.width()] = 255;
        }
    }
    return pictures;
}

// UVs count upwards, pictures downwards.
QPointF inSheet(const Vec2d& uv) {
    return {uv.x(), 1 - uv.y()};
}

}  // namespace

QString nameOf(SheetValue value) {
    switch (value) {
        case SheetValue::BaseColor: return SheetText::tr("Base colour");
        case SheetValue::Opacity: return SheetText::tr("Opacity");
        case SheetValue::Normal: return SheetText::tr("Normal");
        case SheetValue::Roughness: return SheetText::tr("Roughness");
        case SheetValue::Metalness: return SheetText::tr("Metalness");
        case SheetValue::Occlusion: return SheetText::tr("Occlusion");
        case SheetValue::Emission: return SheetText::tr("Emission");
        case SheetValue::Checker: return SheetText::tr("Checker");
        case SheetValue::Misses: return SheetText::tr("Misses");
    }
    return {};
}

std::vector<SheetValue> valuesOf(const Mesh& mesh, std::uint32_t material, bool knowsMisses) {
    std::vector<SheetValue> values;
    if (mesh.uvs.empty() || material >= mesh.materials.size()) return values;
    const Material& m = mesh.materials[material];
    for (const SheetValue value : {SheetValue::BaseColor, SheetValue::Normal, SheetValue::Roughness,
                                   SheetValue::Metalness, SheetValue::Occlusion, SheetValue::Emission})
        if (const TextureUse& use = textureFor(m, value); use && !use.second) values.push_back(value);
    if (m.baseColorTexture && m.alpha != Material::Alpha::Opaque)
        values.insert(values.begin() + 1, SheetValue::Opacity);
    values.push_back(SheetValue::Checker);
    if (knowsMisses) values.push_back(SheetValue::Misses);
    return values;
}

std::vector<std::uint32_t> materialsWithOwnTextures(const Mesh& mesh) {
    std::vector<std::uint32_t> result;
    for (const Section& section : mesh.sections) {
        const auto isSame = [&](std::uint32_t other) {
            return texturesOf(mesh.materials[other]) == texturesOf(mesh.materials[section.material]);
        };
        if (section.triangleCount > 0 && std::none_of(result.begin(), result.end(), isSame))
            result.push_back(section.material);
    }
    return result;
}

std::size_t sheetOf(const Mesh& mesh, std::uint32_t material) {
    // Materials stand in the order of their sheets.
    std::vector<std::array<int, 5>> before;
    for (const Material& one : mesh.materials) {
        if (std::find(before.begin(), before.end(), texturesOf(one)) == before.end()) before.push_back(texturesOf(one));
        if (&one == &mesh.materials[material]) break;
    }
    return std::size_t(std::find(before.begin(), before.end(), texturesOf(mesh.materials[material])) - before.begin());
}

SheetContent makeSheetContent(std::shared_ptr<const Mesh> mesh, std::uint32_t material, SheetValue value,
                              const std::vector<std::shared_ptr<const std::string>>& misses, const Progress& progress) {
    SheetContent content;
    content.mesh = mesh;
    if (mesh->uvs.empty()) return content;
    const std::size_t sheet = sheetOf(*mesh, material);
    content.image = valueImage(*mesh, material, value, sheet < misses.size() ? misses[sheet].get() : nullptr);
    if (value == SheetValue::Misses) content.misses = missPictures(mesh, misses);
    progress.at(0.5);
    content.charts = findUvCharts(*mesh);
    const std::vector<ChartEdge>& borders = content.charts.borders;
    content.bordersOfChart = groupItems(borders.size(), content.charts.count, [&](std::size_t i, auto&& visit) {
        visit(content.charts.chartOf[borders[i].triangle]);
    });
    progress.at(0.8);
    content.grid = UvGrid(*mesh);
    content.isOnIt.assign(mesh->triangleCount(), 0);
    for (const Section& section : mesh->sections)
        if (texturesOf(mesh->materials[section.material]) == texturesOf(mesh->materials[material]))
            std::fill_n(content.isOnIt.begin() + long(section.firstTriangle), section.triangleCount, std::uint8_t(1));
    progress.at(1);
    return content;
}

std::vector<QLineF> SheetContent::rimOf(std::uint32_t chart) const {
    std::vector<QLineF> rim;
    for (const std::uint32_t border : bordersOfChart.of(chart)) {
        const ChartEdge& edge = charts.borders[border];
        const std::array<Vec2d, 3> uvs = uvCorners(*mesh, edge.triangle);
        rim.emplace_back(inSheet(uvs[edge.corner]), inSheet(uvs[(edge.corner + 1) % 3]));
    }
    return rim;
}

std::vector<QLineF> SheetContent::allRims() const {
    // So many lines would only blacken the sheet.
    constexpr std::size_t most = 60000;
    std::vector<QLineF> rims;
    if (charts.borders.size() > most) return rims;
    for (const ChartEdge& edge : charts.borders) {
        if (isOnIt[edge.triangle] == 0) continue;
        const std::array<Vec2d, 3> uvs = uvCorners(*mesh, edge.triangle);
        rims.emplace_back(inSheet(uvs[edge.corner]), inSheet(uvs[(edge.corner + 1) % 3]));
    }
    return rims;
}

std::vector<SheetContent::Side> SheetContent::rimOnSurface(std::uint32_t chart) const {
    std::vector<Side> rim;
    for (const std::uint32_t border : bordersOfChart.of(chart)) {
        const ChartEdge& edge = charts.borders[border];
        const Triangle& t = mesh->triangles[edge.triangle];
        const auto at = [&](std::size_t k) { return Vec3d(mesh->positions[t[k % 3]].cast<double>()); };
        rim.push_back({at(edge.corner), at(edge.corner + 1), areaNormal(at(0), at(1), at(2)).normalized()});
    }
    return rim;
}

std::optional<TriangleId> SheetContent::triangleAt(const QPointF& place) const {
    return grid.triangleAt({place.x(), 1 - place.y()}, [this](TriangleId t) { return isOnIt[t] != 0; });
}

Vec3d SheetContent::placeOnSurface(TriangleId triangle, const QPointF& place) const {
    const Vec3d shares = sharesAtUv(uvCorners(*mesh, triangle), {place.x(), 1 - place.y()});
    Vec3d sum = Vec3d::Zero();
    for (std::size_t k = 0; k < 3; ++k)
        sum += shares[long(k)] * mesh->positions[mesh->triangles[triangle][k]].cast<double>();
    return sum;
}

QPointF SheetContent::placeInSheet(TriangleId triangle, const Vec3d& place) const {
    const Triangle& t = mesh->triangles[triangle];
    const TrianglePoint at =
        closestOnTriangle(place, mesh->positions[t[0]].cast<double>(), mesh->positions[t[1]].cast<double>(),
                          mesh->positions[t[2]].cast<double>());
    const std::array<Vec2d, 3> uvs = uvCorners(*mesh, triangle);
    return inSheet(at.first() * uvs[0] + at.second * uvs[1] + at.third * uvs[2]);
}

std::vector<QPointF> placesOfMisses(const std::string& misses) {
    constexpr int cells = 64;
    constexpr std::size_t most = 50;
    const QImage image = imageFrom(misses);
    struct Heap {
        double x = 0, y = 0;
        int count = 0;
    };
    std::vector<Heap> heaps(cells * cells);
    for (int y = 0; y < image.height(); ++y) {
        const uchar* line = image.constScanLine(y);
        for (int x = 0; x < image.width(); ++x) {
            if (!isMiss(line + 4 * x)) continue;
            Heap& heap = heaps[std::size_t(y * cells / image.height() * cells + x * cells / image.width())];
            heap.x += x + 0.5;
            heap.y += y + 0.5;
            ++heap.count;
        }
    }
    std::erase_if(heaps, [](const Heap& heap) { return heap.count == 0; });
    std::stable_sort(heaps.begin(), heaps.end(), [](const Heap& a, const Heap& b) { return a.count > b.count; });
    std::vector<QPointF> places;
    for (std::size_t i = 0; i < std::min(most, heaps.size()); ++i)
        places.emplace_back(heaps[i].x / heaps[i].count / image.width(), heaps[i].y / heaps[i].count / image.height());
    return places;
}

}  // namespace um::app
