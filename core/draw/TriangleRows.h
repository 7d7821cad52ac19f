#pragma once
/// Which pixels of a picture a triangle covers, row by row.
#include "base/Math.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace um {

/// From the first to the last, both included; none where the last comes before the first.
struct PixelRange {
    int first = 0, last = -1;
};

/// The pixels whose middles lie between two places.
template <typename Scalar>
PixelRange middlesBetween(Scalar from, Scalar to) {
    constexpr Scalar most = 1e6, half = 0.5;  // what is drawn is never so large, and what is no number lies beyond
    const auto bounded = [&](Scalar x) { return std::max(-most, std::min(most, x)); };
    return {int(std::ceil(bounded(from) - half)), int(std::floor(bounded(to) - half))};
}

inline PixelRange overlap(const PixelRange& x, const PixelRange& y) {
    return {std::max(x.first, y.first), std::min(x.last, y.last)};
}

/// The pixels that a triangle may cover: of those of a picture, or a part of it.
template <typename Place>
class TriangleRows {
public:
    using Scalar = typename Place::Scalar;

    TriangleRows(const Place& a, const Place& b, const Place& c, const PixelRange& columns, const PixelRange& rows)
        : m_corners{&a, &b, &c},
          m_columns(overlap(columns, middlesBetween(std::min({a.x(), b.x(), c.x()}), std::max({a.x(), b.x(), c.x()})))),
          m_rows(overlap(rows, middlesBetween(std::min({a.y(), b.y(), c.y()}), std::max({a.y(), b.y(), c.y()})))) {}

    PixelRange rows() const { return m_rows; }

    /// In one of the rows. What is long and lies askew fills little of its box; a pixel more at both ends is for the
    /// rounding.
    PixelRange columns(int row) const {
        constexpr int few = 8;
        if (m_columns.last - m_columns.first < few) return m_columns;
        const Scalar y = Scalar(row) + Scalar(0.5);
        Scalar low = std::numeric_limits<Scalar>::max(), high = std::numeric_limits<Scalar>::lowest();
        for (std::size_t i = 0; i < 3; ++i) {
            const Place &p = *m_corners[i], &q = *m_corners[(i + 1) % 3];
            if (std::min(p.y(), q.y()) > y || std::max(p.y(), q.y()) < y) continue;
            const Scalar rise = q.y() - p.y(), run = q.x() - p.x();
            const Scalar begin = rise != 0 ? p.x() + (y - p.y()) / rise * run : std::min(p.x(), q.x());
            const Scalar end = rise != 0 ? begin : std::max(p.x(), q.x());
            const Scalar rounding =
                1 + 8 * std::numeric_limits<Scalar>::epsilon() * std::max(std::abs(p.x()), std::abs(q.x()));
            low = std::min(low, begin - rounding);
            high = std::max(high, end + rounding);
        }
        return overlap(m_columns, middlesBetween(low, high));
    }

    /// Calls visit(x, y, shares of the three corners) for each pixel whose middle the triangle covers.
    template <typename Visit>
    void forCovered(Scalar doubledArea, const Visit& visit) const {
        for (int y = m_rows.first; y <= m_rows.last; ++y) {
            const PixelRange across = columns(y);
            for (int x = across.first; x <= across.last; ++x) {
                const std::array<Scalar, 3> shares = sharesAt(x, y, doubledArea);
                if (shares[0] >= 0 && shares[1] >= 0 && shares[2] >= 0) visit(x, y, shares);
            }
        }
    }

private:
    // Of the corners, in the middle of a pixel; below 0 beyond the side opposite to one.
    std::array<Scalar, 3> sharesAt(int x, int y, Scalar doubledArea) const {
        const Place &a = *m_corners[0], &b = *m_corners[1], &c = *m_corners[2];
        const Scalar px = Scalar(x) + Scalar(0.5), py = Scalar(y) + Scalar(0.5);
        const Scalar atA = ((b.x() - px) * (c.y() - py) - (b.y() - py) * (c.x() - px)) / doubledArea;
        const Scalar atB = ((c.x() - px) * (a.y() - py) - (c.y() - py) * (a.x() - px)) / doubledArea;
        return {atA, atB, 1 - atA - atB};
    }

    std::array<const Place*, 3> m_corners;
    PixelRange m_columns, m_rows;
};

}  // namespace um
