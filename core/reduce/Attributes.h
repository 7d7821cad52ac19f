#pragma once
/// What wedges carry while a mesh is reduced, and how much the surface would be off in it: each value counts as a
/// length, so that it can be weighed against the shape.
#include "base/LaneArray.h"
#include "base/RawVector.h"
#include "mesh/Mesh.h"
#include "reduce/EdgeBatch.h"

#include <array>

namespace um {

/// Sums over the triangles around a wedge. On each triangle every channel is an affine function of the position; with
/// area, gradients and offsets of all of them, the best common value at a place and its error are known.
/// Positions are counted from the wedge's vertex, values from the wedge's own value.
struct AttributeSums {
    static constexpr int mostChannels = 11;

    double area;
    std::array<Vec3d, mostChannels> gradient;  ///< times area
    std::array<double, mostChannels> offset;   ///< times area
};

/// What the triangles around a wedge carry while they are gone through: each channel has a lane of its own.
struct Slopes {
    static constexpr std::size_t groups = (AttributeSums::mostChannels + laneCount - 1) / laneCount;

    double area = 0;
    std::array<std::array<LaneArray, 3>, groups> gradient{};  ///< times area, by axes
    LaneArray xx{}, xy{}, xz{}, yy{}, yz{}, zz{};             ///< of all channels' gradients, times area

    /// What belongs to the quadric of the vertex, seen from its place and the wedge's value: the squared gradients.
    Quadric squares() const;
};

/// Values and sums of all wedges in flat arrays.
/// Source: Hoppe 1999, IEEE Visualization: new quadric metric for simplifying meshes with appearance attributes.
class Attributes {
public:
    Attributes() = default;
    /// Takes the values of the source's wedges; with `from`, wedge w has those of source wedge from[w].
    Attributes(const Mesh& source, const std::vector<WedgeId>& from, bool withNormals);

    int channels() const { return m_channels; }
    std::size_t wedgeCount() const { return m_channels == 0 ? 0 : m_values.size() / std::size_t(m_channels); }

    const float* valuesOf(WedgeId w) const { return m_values.data() + std::size_t(w) * std::size_t(m_channels); }
    float* valuesOf(WedgeId w) { return m_values.data() + std::size_t(w) * std::size_t(m_channels); }

    AttributeSums sumsOf(WedgeId w) const;
    /// Asks the memory for them.
    void fetch(WedgeId w) const {
        __builtin_prefetch(sumsAt(w));
        __builtin_prefetch(sumsAt(w + 1) - 1);
        __builtin_prefetch(valuesOf(w));
    }
    void setSums(WedgeId w, const AttributeSums& sums);
    void setSums(WedgeId w, const Slopes& slopes, double factor);

    /// @param here  of a triangle's wedges the one looked from; the others lie at `toNext` and `toLast`
    void addTriangle(WedgeId here, WedgeId next, WedgeId last, const Vec3d& toNext, const Vec3d& toLast, double area,
                     Slopes& slopes) const;

    /// What two wedges cost when they become one with the best common values, on top of what the quadrics of their
    /// vertices say. Positions are counted from the first wedge's vertex; the other's lies at `apart`.
    void putInJoined(WedgeId first, WedgeId other, const Vec3d& apart, Quadric& quadric) const;

    /// The same for the edges of a batch.
    /// @param others  of each edge; where there is none, any wedge
    void putInJoined(WedgeId first, const std::array<WedgeId, EdgeBatch::size>& others, EdgeBatch& batch) const;

    /// Makes the first of two wedges both, at `to`, with the values that are best there. The quadric of both vertices
    /// is counted from the first one's before, and from `to` afterwards; what the values cost goes into it.
    void join(WedgeId first, WedgeId other, const Vec3d& apart, const Vec3d& to, Quadric& quadric);

    bool areEqual(WedgeId a, WedgeId b) const;

    /// Whether UVs or colours differ, not normals alone.
    bool differBesidesNormals(WedgeId a, WedgeId b) const;

    /// Keeps these wedges alone, in this order.
    void keep(const std::vector<WedgeId>& wedges);

    /// A new wedge between three others, of which each has its share and lies a step from it.
    void addBetween(const std::array<WedgeId, 3>& wedges, const std::array<double, 3>& shares,
                    const std::array<Vec3d, 3>& steps);

    /// The wedge's vertex has moved: its values change along their gradients.
    void follow(WedgeId w, const Vec3d& step);

    /// Writes the values into the mesh's attributes.
    void store(Mesh& mesh) const;

private:
    const float* sumsAt(WedgeId w) const { return m_sums.data() + std::size_t(w) * std::size_t(1 + 4 * m_channels); }
    float* sumsAt(WedgeId w) { return m_sums.data() + std::size_t(w) * std::size_t(1 + 4 * m_channels); }

    int m_channels = 0;
    int m_uv = -1, m_secondUv = -1, m_color = -1, m_normal = -1;  // the first channel of each kind
    // Powers of two, so that values that nobody changes come back bit for bit.
    float m_uvScale = 1, m_secondUvScale = 1, m_colorScale = 1, m_normalScale = 1;
    RawVector<float> m_values;
    RawVector<float> m_sums;  // for each wedge: area, then gradient and offset of each channel
};

AttributeSums emptySums(int channels);
void addSums(AttributeSums& to, const AttributeSums& sums, int channels);

/// Positions counted from p - `step`: what the sums are when seen from `step`.
void moveOrigin(AttributeSums& sums, int channels, const Vec3d& step);

/// Values counted from `change` higher; the quadric of the vertex changes with them.
void moveValues(AttributeSums& sums, int channels, const double* change, Quadric& quadric);

/// The quadric with the best values put in for the channels of these sums.
void putInBestValues(const AttributeSums& sums, int channels, Quadric& quadric);

}  // namespace um
