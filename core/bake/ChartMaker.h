#pragma once
/// Charts of some of a mesh's triangles, if these lie flat.
#include "bake/Charts.h"
#include "bake/Neighbours.h"

#include <optional>

namespace um {

class ChartMaker {
public:
    ChartMaker(const Mesh& mesh, const ChartSettings& settings);

    const Mesh& mesh() const { return m_mesh; }
    const Neighbours& around() const { return m_around; }

    /// @param triangles  ascending
    /// @param cuts  as a chart has them
    /// @returns nothing if they do not lie flat
    std::optional<Chart> flat(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts) const;

    /// Whether others find a place beside one that lies flat.
    /// @param hullBefore  area of the hulls in whose place it comes: it may fill its own as badly if that is no larger
    bool isHandy(const Chart& chart, double hullBefore = 0) const;

    /// Whether it may stay whole for its size.
    bool hasRoom(const Chart& chart) const;

    /// The area that it and the padding around it keep others from, at the most.
    double roomOf(const Chart& chart) const;

    /// Flat and handy; nothing if not.
    std::optional<Chart> handy(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts,
                               double hullBefore = 0) const;

    /// Those of the cuts that are between some of the triangles: they stay if these become a chart of their own.
    std::vector<std::uint64_t> cutsWithin(const std::vector<std::uint64_t>& cuts,
                                          const std::vector<TriangleId>& triangles) const;

    /// Whether it takes so much of a sheet that another like it may find no place there.
    bool isLarge(const Chart& chart) const;

    /// Whether two large ones find a place on a sheet with what comes to it besides.
    bool fitTogether(const Chart& a, const Chart& b) const;

    /// The sheets that the charts are for, the last one may be in part.
    std::size_t sheets() const;

    /// A triangle has a place in the sheet even without an area.
    Chart single(TriangleId triangle) const;

private:
    FlatPatch patchOf(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts) const;
    double areaOf(const std::vector<TriangleId>& triangles) const;
    bool isSmall(double area) const;
    bool isTooLong(const Chart& chart, double area) const;

    const Mesh& m_mesh;
    const ChartSettings m_settings;
    const Neighbours m_around;
    double m_area = 0, m_sheetArea = 0;
};

/// The area of the convex hull of a chart that lies flat.
double hullArea(const Chart& chart);

/// An edge of a triangle, as a chart's cuts have it.
inline std::uint64_t edgeOf(TriangleId t, std::size_t k) {
    return 3 * std::uint64_t(t) + k;
}

}  // namespace um
