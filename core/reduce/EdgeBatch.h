#pragma once
/// Edges that are looked at together.
#include "reduce/Quadric.h"

#include <array>

namespace um {

/// In arrays, so that loops over all of them become a few operations on wide registers.
struct EdgeBatch {
    static constexpr std::size_t size = 4;
    using Lanes = std::array<double, size>;

    Lanes xx{}, xy{}, xz{}, yy{}, yz{}, zz{}, bx{}, by{}, bz{}, c{};  ///< the errors of both ends, counted from one
    Lanes apartX{}, apartY{}, apartZ{};                               ///< where the other end lies
    Lanes x{}, y{}, z{}, error{};                                     ///< the best place, and what it costs

    void put(std::size_t i, const Quadric& sum) {
        xx[i] = sum.xx;
        xy[i] = sum.xy;
        xz[i] = sum.xz;
        yy[i] = sum.yy;
        yz[i] = sum.yz;
        zz[i] = sum.zz;
        bx[i] = sum.b[0];
        by[i] = sum.b[1];
        bz[i] = sum.b[2];
        c[i] = sum.c;
    }
    void putOtherEnd(std::size_t i, const Vec3d& apart) {
        apartX[i] = apart[0];
        apartY[i] = apart[1];
        apartZ[i] = apart[2];
    }

    Quadric sum(std::size_t i) const {
        Quadric sum;
        sum.xx = xx[i];
        sum.xy = xy[i];
        sum.xz = xz[i];
        sum.yy = yy[i];
        sum.yz = yz[i];
        sum.zz = zz[i];
        sum.b = {bx[i], by[i], bz[i]};
        sum.c = c[i];
        return sum;
    }
    Vec3d apart(std::size_t i) const { return {apartX[i], apartY[i], apartZ[i]}; }
    Vec3d place(std::size_t i) const { return {x[i], y[i], z[i]}; }
};

}  // namespace um
