#include "reduce/Attributes.h"

#include "base/Lanes.h"
#include "base/Parallel.h"

#include <cmath>
#include <cstring>
#include <numeric>
#include <span>

namespace um {

namespace {

// Swimming textures are seen less than a wrong shape of the same length: their error counts half.
constexpr double uvWeight = 0.5;

// Full contrast in a colour, and a normal off by a radian, count like being off by these shares of the size.
constexpr double colorWeight = 0.02;
constexpr double normalWeight = 0.002;

float powerOfTwoNear(double x) {
    return x > 0 && std::isfinite(x) ? float(std::exp2(std::round(std::log2(x)))) : 1.0f;
}

// The length on the surface that a unit of UV covers, over all triangles.
double lengthOfUv(const Mesh& mesh, const std::vector<Vec2f>& uvs) {
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<Eigen::Vector2d> sums(chunkCount(mesh.triangleCount(), chunkSize), Eigen::Vector2d::Zero());
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const Triangle& triangle = mesh.triangles[t];
            const Triangle& wedges = mesh.wedgesOf(TriangleId(t));
            const auto place = [&](std::size_t k) { return Vec3d(mesh.positions[triangle[k]].cast<double>()); };
            const Eigen::Vector2d a = (uvs[wedges[1]] - uvs[wedges[0]]).cast<double>();
            const Eigen::Vector2d b = (uvs[wedges[2]] - uvs[wedges[0]]).cast<double>();
            sums[chunk] += Eigen::Vector2d(areaNormal(place(0), place(1), place(2)).norm(),
                                           std::abs(a.x() * b.y() - a.y() * b.x()));
        }
    });
    double surface = 0, flat = 0;
    for (const Eigen::Vector2d& sum : sums) {
        surface += sum.x();
        flat += sum.y();
    }
    return flat > 0 ? std::sqrt(surface / flat) : 0;
}

}  // namespace

Attributes::Attributes(const Mesh& source, const std::vector<WedgeId>& from, bool withNormals) {
    const auto claim = [&](bool there, int count) {
        const int first = m_channels;
        if (!there) return -1;
        m_channels += count;
        return first;
    };
    m_uv = claim(!source.uvs.empty(), 2);
    m_secondUv = claim(!source.secondUvs.empty(), 2);
    m_color = claim(!source.colors.empty(), 4);
    m_normal = claim(!source.normals.empty() && withNormals, 3);
    const double size = diagonal(source);
    if (m_uv >= 0) m_uvScale = powerOfTwoNear(uvWeight * lengthOfUv(source, source.uvs));
    if (m_secondUv >= 0) m_secondUvScale = powerOfTwoNear(uvWeight * lengthOfUv(source, source.secondUvs));
    m_colorScale = powerOfTwoNear(colorWeight * size / 255);
    m_normalScale = powerOfTwoNear(normalWeight * size);
    const std::size_t count = from.empty() ? source.wedgeCount() : from.size();
    m_values.resize(count * std::size_t(m_channels));
    m_sums.resize(count * std::size_t(1 + 4 * m_channels));
    parallelFor(count, [&](std::size_t w) {
        float* values = valuesOf(WedgeId(w));
        std::fill_n(sumsAt(WedgeId(w)), 1 + 4 * m_channels, 0.0f);
        const std::size_t s = from.empty() ? w : from[w];
        if (m_uv >= 0) Eigen::Map<Vec2f>(values + m_uv) = m_uvScale * source.uvs[s];
        if (m_secondUv >= 0) Eigen::Map<Vec2f>(values + m_secondUv) = m_secondUvScale * source.secondUvs[s];
        if (m_color >= 0)
            for (std::size_t i = 0; i < 4; ++i) values[std::size_t(m_color) + i] = m_colorScale * source.colors[s][i];
        if (m_normal >= 0) Eigen::Map<Vec3f>(values + m_normal) = m_normalScale * source.normals[s];
    });
}

AttributeSums Attributes::sumsOf(WedgeId w) const {
    AttributeSums sums;
    const float* at = m_sums.data() + std::size_t(w) * std::size_t(1 + 4 * m_channels);
    sums.area = *at++;
    for (std::size_t j = 0; j < std::size_t(m_channels); ++j, at += 4) {
        sums.gradient[j] = Vec3d(at[0], at[1], at[2]);
        sums.offset[j] = at[3];
    }
    return sums;
}

void Attributes::setSums(WedgeId w, const AttributeSums& sums) {
    float* at = m_sums.data() + std::size_t(w) * std::size_t(1 + 4 * m_channels);
    *at++ = float(sums.area);
    for (std::size_t j = 0; j < std::size_t(m_channels); ++j, at += 4) {
        Eigen::Map<Vec3f>(at, 3) = sums.gradient[j].cast<float>();
        at[3] = float(sums.offset[j]);
    }
}

void Attributes::setSums(WedgeId w, const Slopes& slopes, double factor) {
    float* at = sumsAt(w);
    *at++ = float(factor * slopes.area);
    for (std::size_t j = 0; j < std::size_t(m_channels); ++j) {
        const std::array<LaneArray, 3>& gradient = slopes.gradient[j / laneCount];
        for (std::size_t axis = 0; axis < 3; ++axis) *at++ = float(factor * double(gradient[axis][j % laneCount]));
        *at++ = 0;
    }
}

Quadric Slopes::squares() const {
    const auto sumOf = [](const LaneArray& lanes) {
        return std::accumulate(lanes.values.begin(), lanes.values.end(), 0.0);
    };
    Quadric sum;
    sum.xx = sumOf(xx);
    sum.xy = sumOf(xy);
    sum.xz = sumOf(xz);
    sum.yy = sumOf(yy);
    sum.yz = sumOf(yz);
    sum.zz = sumOf(zz);
    return sum;
}

namespace {

// So many values, and 0 in the other lanes.
[[gnu::always_inline]] inline Lanes lanesOf(std::span<const float> values, std::size_t from, std::size_t count) {
    Lanes lanes{};
    // What comes behind may be read where there is anything.
    if (from + laneCount <= values.size()) {
        std::memcpy(&lanes, values.data() + from, sizeof lanes);
        const Lanes number = {0, 1, 2, 3, 4, 5, 6, 7};
        return number < float(count) ? lanes : Lanes{};
    }
    for (std::size_t i = 0; i < std::min(count, laneCount); ++i) lanes[i] = values[from + i];
    return lanes;
}

[[gnu::always_inline]] inline void add(LaneArray& to, const Lanes& more) {
    const Lanes sum = lanesOf(to) + more;
    std::memcpy(&to, &sum, sizeof to);
}

}  // namespace

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void Attributes::addTriangle(WedgeId here, WedgeId next, WedgeId last, const Vec3d& toNext, const Vec3d& toLast,
                             double area, Slopes& slopes) const {
    // The gradient g lies in the triangle: g·toNext and g·toLast are the differences of the value.
    const double aa = Quadric::dot(toNext, toNext), ab = Quadric::dot(toNext, toLast),
                 bb = Quadric::dot(toLast, toLast);
    const double determinant = aa * bb - ab * ab;
    // Needles have gradients of any size; they say nothing.
    if (!(determinant > 1e-8 * aa * bb)) return;
    slopes.area += area;
    // What a difference of one at either corner makes of it.
    const double share = 1 / determinant;
    std::array<float, 3> byNext, byLast;
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const double alongNext = toNext[long(axis)], alongLast = toLast[long(axis)];
        byNext[axis] = float(share * (bb * alongNext - ab * alongLast));
        byLast[axis] = float(share * (aa * alongLast - ab * alongNext));
    }
    const auto weight = float(area);
    const auto channels = std::size_t(m_channels);
    for (std::size_t first = 0; first < channels; first += laneCount) {
        const auto valuesAt = [&](WedgeId w) {
            return lanesOf(m_values, std::size_t(w) * channels + first, channels - first);
        };
        const Lanes value = valuesAt(here), atNext = valuesAt(next) - value, atLast = valuesAt(last) - value;
        const Lanes x = atNext * byNext[0] + atLast * byLast[0];
        const Lanes y = atNext * byNext[1] + atLast * byLast[1];
        const Lanes z = atNext * byNext[2] + atLast * byLast[2];
        const Lanes weightedX = weight * x, weightedY = weight * y, weightedZ = weight * z;
        std::array<LaneArray, 3>& gradient = slopes.gradient[first / laneCount];
        add(gradient[0], weightedX);
        add(gradient[1], weightedY);
        add(gradient[2], weightedZ);
        add(slopes.xx, weightedX * x);
        add(slopes.xy, weightedX * y);
        add(slopes.xz, weightedX * z);
        add(slopes.yy, weightedY * y);
        add(slopes.yz, weightedY * z);
        add(slopes.zz, weightedZ * z);
    }
}

namespace {

// The sums of one channel at one wedge.
struct ChannelSums {
    double x, y, z, offset;  // of the gradient, and of the values; times area
};

// moveOrigin, moveValues, addSums and putInBestValues in one: most of a textured mesh's time goes here.
// @param change  from the other's value to the first one's
// @param share   one over both areas
[[gnu::always_inline]] inline void putInChannel(const ChannelSums& here, const ChannelSums& there, double change,
                                                double areaThere, double share, const Vec3d& apart, Quadric& quadric) {
    const double offsetThere = there.offset - (there.x * apart[0] + there.y * apart[1] + there.z * apart[2]);
    const double gx = there.x + here.x, gy = there.y + here.y, gz = there.z + here.z;
    const double d = here.offset + offsetThere - change * areaThere;
    const double sharedX = share * gx, sharedY = share * gy, sharedZ = share * gz;
    quadric.xx -= sharedX * gx;
    quadric.xy -= sharedX * gy;
    quadric.xz -= sharedX * gz;
    quadric.yy -= sharedY * gy;
    quadric.yz -= sharedY * gz;
    quadric.zz -= sharedZ * gz;
    quadric.b[0] -= change * there.x + d * sharedX;
    quadric.b[1] -= change * there.y + d * sharedY;
    quadric.b[2] -= change * there.z + d * sharedZ;
    quadric.c += change * (change * areaThere - 2 * offsetThere) - share * d * d;
}

}  // namespace

void Attributes::putInJoined(WedgeId first, WedgeId other, const Vec3d& apart, Quadric& quadric) const {
    const float* here = sumsAt(first);
    const float* there = sumsAt(other);
    const double areaThere = *there++, area = *here++ + areaThere;
    if (!(area > 0)) return;
    for (int j = 0; j < m_channels; ++j, here += 4, there += 4)
        putInChannel({here[0], here[1], here[2], here[3]}, {there[0], there[1], there[2], there[3]},
                     double(valuesOf(first)[j]) - double(valuesOf(other)[j]), areaThere, 1 / area, apart, quadric);
}

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void Attributes::putInJoined(WedgeId first, const std::array<WedgeId, EdgeBatch::size>& others,
                             EdgeBatch& batch) const {
    using OfEdges = EdgeBatch::Lanes;
    const float* here = sumsAt(first);
    std::array<const float*, EdgeBatch::size> there;
    OfEdges areaThere, share;
    for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
        there[i] = sumsAt(others[i]);
        areaThere[i] = double(*there[i]);
    }
    // Without any area nothing is carried.
    for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
        const double area = double(*here) + areaThere[i];
        share[i] = area > 0 ? 1 / area : 0;
    }
    for (int j = 0; j < m_channels; ++j) {
        OfEdges x, y, z, offset, change;
        const long at = 1 + 4 * j;
        for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
            x[i] = double(there[i][at]);
            y[i] = double(there[i][at + 1]);
            z[i] = double(there[i][at + 2]);
            offset[i] = double(there[i][at + 3]);
            change[i] = double(valuesOf(first)[j]) - double(valuesOf(others[i])[j]);
        }
        const ChannelSums own{double(here[at]), double(here[at + 1]), double(here[at + 2]), double(here[at + 3])};
        for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
            Quadric sum = batch.sum(i);
            putInChannel(own, {x[i], y[i], z[i], offset[i]}, change[i], areaThere[i], share[i], batch.apart(i), sum);
            batch.put(i, sum);
        }
    }
}

// addSums, moveOrigin and moveValues in one.
void Attributes::join(WedgeId first, WedgeId other, const Vec3d& apart, const Vec3d& to, Quadric& quadric) {
    const std::size_t channels = std::min(std::size_t(m_channels), std::size_t(AttributeSums::mostChannels));
    std::array<Vec3d, AttributeSums::mostChannels> gradients;
    std::array<double, AttributeSums::mostChannels> offsets;
    float* here = sumsAt(first);
    const float* there = sumsAt(other);
    float* values = valuesOf(first);
    const auto gradientAt = [](const float* sums, std::size_t j) {
        return Vec3d(Eigen::Map<const Vec3f>(sums + 1 + 4 * j).cast<double>());
    };
    const auto changeValue = [&](double change, double area, const Vec3d& gradient, double& offset) {
        quadric.c += change * (change * area - 2 * offset);
        quadric.b -= change * gradient;
        offset -= change * area;
    };
    const double areaThere = there[0], area = double(here[0]) + areaThere;
    for (std::size_t j = 0; j < channels; ++j) {
        const Vec3d gradient = gradientAt(there, j);
        double offset = double(there[4 + 4 * j]) + gradient.dot(-apart);
        changeValue(double(values[j]) - double(valuesOf(other)[j]), areaThere, gradient, offset);
        gradients[j] = gradientAt(here, j) + gradient;
        offsets[j] = double(here[4 + 4 * j]) + offset;
    }
    quadric = quadric.seenFrom(to);
    here[0] = float(area);
    for (std::size_t j = 0; j < channels; ++j) {
        double offset = offsets[j] + gradients[j].dot(to);
        const double change = area > 0 ? offset / area : 0;
        values[j] = float(double(values[j]) + change);
        changeValue(change, area, gradients[j], offset);
        Eigen::Map<Vec3f>(here + 1 + 4 * j) = gradients[j].cast<float>();
        here[4 + 4 * j] = float(offset);
    }
}

bool Attributes::areEqual(WedgeId a, WedgeId b) const {
    return std::equal(valuesOf(a), valuesOf(a) + m_channels, valuesOf(b));
}

bool Attributes::differBesidesNormals(WedgeId a, WedgeId b) const {
    const int end = m_normal >= 0 ? m_normal : m_channels;
    return !std::equal(valuesOf(a), valuesOf(a) + end, valuesOf(b));
}

void Attributes::keep(const std::vector<WedgeId>& wedges) {
    const auto keepRows = [&](RawVector<float>& values, std::size_t row) {
        RawVector<float> kept(wedges.size() * row);
        parallelFor(wedges.size(),
                    [&](std::size_t w) { std::copy_n(values.data() + wedges[w] * row, row, kept.data() + w * row); });
        values = std::move(kept);
    };
    keepRows(m_values, std::size_t(m_channels));
    keepRows(m_sums, std::size_t(1 + 4 * m_channels));
}

void Attributes::follow(WedgeId w, const Vec3d& step) {
    const AttributeSums sums = sumsOf(w);
    if (!(sums.area > 0)) return;
    for (std::size_t j = 0; j < std::size_t(m_channels); ++j)
        valuesOf(w)[j] += float(sums.gradient[j].dot(step) / sums.area);
}

void Attributes::addBetween(const std::array<WedgeId, 3>& wedges, const std::array<double, 3>& shares,
                            const std::array<Vec3d, 3>& steps) {
    std::vector<float> values(std::size_t(m_channels), 0);
    AttributeSums between = emptySums(m_channels);
    between.area = 1;
    for (std::size_t i = 0; i < 3; ++i) {
        const AttributeSums sums = sumsOf(wedges[i]);
        for (std::size_t j = 0; j < values.size(); ++j) {
            const Vec3d gradient = sums.area > 0 ? Vec3d(sums.gradient[j] / sums.area) : Vec3d(Vec3d::Zero());
            values[j] += float(shares[i] * (double(valuesOf(wedges[i])[j]) + gradient.dot(steps[i])));
            between.gradient[j] += shares[i] * gradient;
        }
    }
    m_values.insert(m_values.end(), values.begin(), values.end());
    m_sums.resize(m_sums.size() + std::size_t(1 + 4 * m_channels));
    setSums(WedgeId(wedgeCount() - 1), between);
}

void Attributes::store(Mesh& mesh) const {
    const std::size_t count = wedgeCount();
    if (m_uv >= 0) mesh.uvs.resize(count);
    if (m_secondUv >= 0) mesh.secondUvs.resize(count);
    if (m_color >= 0) mesh.colors.resize(count);
    if (m_normal >= 0) mesh.normals.resize(count);
    parallelFor(count, [&](std::size_t w) {
        const float* values = valuesOf(WedgeId(w));
        if (m_uv >= 0) mesh.uvs[w] = Eigen::Map<const Vec2f>(values + m_uv) / m_uvScale;
        if (m_secondUv >= 0) mesh.secondUvs[w] = Eigen::Map<const Vec2f>(values + m_secondUv) / m_secondUvScale;
        if (m_color >= 0)
            for (std::size_t i = 0; i < 4; ++i)
                mesh.colors[w][i] =
                    std::uint8_t(std::clamp(values[std::size_t(m_color) + i] / m_colorScale + 0.5f, 0.0f, 255.0f));
        if (m_normal >= 0) {
            const Vec3f normal = Eigen::Map<const Vec3f>(values + m_normal) / m_normalScale;
            const float length = normal.norm();
            // What was not touched is not divided, to stay as it was.
            mesh.normals[w] = std::abs(length - 1) < 1e-4f ? normal
                              : length > 1e-6f             ? Vec3f(normal / length)
                                                           : Vec3f(0, 1, 0);
        }
    });
}

AttributeSums emptySums(int channels) {
    AttributeSums sums;
    sums.area = 0;
    for (std::size_t j = 0; j < std::size_t(channels); ++j) {
        sums.gradient[j].setZero();
        sums.offset[j] = 0;
    }
    return sums;
}

void addSums(AttributeSums& to, const AttributeSums& sums, int channels) {
    to.area += sums.area;
    for (std::size_t j = 0; j < std::size_t(channels); ++j) {
        to.gradient[j] += sums.gradient[j];
        to.offset[j] += sums.offset[j];
    }
}

void moveOrigin(AttributeSums& sums, int channels, const Vec3d& step) {
    for (std::size_t j = 0; j < std::size_t(channels); ++j) sums.offset[j] += sums.gradient[j].dot(step);
}

void moveValues(AttributeSums& sums, int channels, const double* change, Quadric& quadric) {
    for (std::size_t j = 0; j < std::size_t(channels); ++j) {
        quadric.c += change[j] * (change[j] * sums.area - 2 * sums.offset[j]);
        quadric.b -= change[j] * sums.gradient[j];
        sums.offset[j] -= change[j] * sums.area;
    }
}

void putInBestValues(const AttributeSums& sums, int channels, Quadric& quadric) {
    if (!(sums.area > 0)) return;
    for (std::size_t j = 0; j < std::size_t(channels); ++j) {
        const Vec3d g = sums.gradient[j];
        const double d = sums.offset[j], share = 1 / sums.area;
        quadric.xx -= share * g.x() * g.x();
        quadric.xy -= share * g.x() * g.y();
        quadric.xz -= share * g.x() * g.z();
        quadric.yy -= share * g.y() * g.y();
        quadric.yz -= share * g.y() * g.z();
        quadric.zz -= share * g.z() * g.z();
        quadric.b -= share * d * g;
        quadric.c -= share * d * d;
    }
}

}  // namespace um
