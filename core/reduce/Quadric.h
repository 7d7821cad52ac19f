#pragma once
/// The sum of squared distances to a set of planes, as a function of position.
/// Source: Garland & Heckbert 1997, SIGGRAPH: surface simplification using quadric error metrics.
#include "base/Math.h"

namespace um {

/// q(x) = x'Ax + 2 b'x + c, with x counted from a place near the surface: from its own vertex, so that single precision
/// is enough however far from the origin the mesh lies.
template <class Scalar>
struct BasicQuadric {
    using Vec = Eigen::Matrix<Scalar, 3, 1>;

    Scalar xx = 0, xy = 0, xz = 0, yy = 0, yz = 0, zz = 0;
    Vec b = Vec::Zero();
    Scalar c = 0;

    BasicQuadric() = default;
    template <class Other>
    explicit BasicQuadric(const BasicQuadric<Other>& q)
        : xx(Scalar(q.xx)),
          xy(Scalar(q.xy)),
          xz(Scalar(q.xz)),
          yy(Scalar(q.yy)),
          yz(Scalar(q.yz)),
          zz(Scalar(q.zz)),
          b(q.b.template cast<Scalar>()),
          c(Scalar(q.c)) {}

    /// The plane with the unit normal `n` through where positions are counted from, times a weight.
    static BasicQuadric planeThroughOrigin(const Vec& n, Scalar weight) {
        BasicQuadric q;
        q.xx = weight * n.x() * n.x();
        q.xy = weight * n.x() * n.y();
        q.xz = weight * n.x() * n.z();
        q.yy = weight * n.y() * n.y();
        q.yz = weight * n.y() * n.z();
        q.zz = weight * n.z() * n.z();
        return q;
    }

    /// The same through `point`.
    static BasicQuadric plane(const Vec& n, const Vec& point, Scalar weight) {
        BasicQuadric q = planeThroughOrigin(n, weight);
        const Scalar d = -n.dot(point);
        q.b = weight * d * n;
        q.c = weight * d * d;
        return q;
    }

    Vec times(const Vec& x) const {
        return {xx * x.x() + xy * x.y() + xz * x.z(), xy * x.x() + yy * x.y() + yz * x.z(),
                xz * x.x() + yz * x.y() + zz * x.z()};
    }

    // Number by number, as all that is done for edges: the compiler can then do several at once.
    static Scalar dot(const Vec& x, const Vec& y) { return x[0] * y[0] + x[1] * y[1] + x[2] * y[2]; }

    Scalar at(const Vec& x) const { return dot(x, times(x)) + 2 * dot(b, x) + c; }

    BasicQuadric& operator+=(const BasicQuadric& q) {
        xx += q.xx;
        xy += q.xy;
        xz += q.xz;
        yy += q.yy;
        yz += q.yz;
        zz += q.zz;
        b += q.b;
        c += q.c;
        return *this;
    }

    BasicQuadric& operator*=(Scalar factor) {
        xx *= factor;
        xy *= factor;
        xz *= factor;
        yy *= factor;
        yz *= factor;
        zz *= factor;
        b *= factor;
        c *= factor;
        return *this;
    }

    /// The same function with positions counted from `origin`.
    BasicQuadric seenFrom(const Vec& origin) const {
        BasicQuadric q = *this;
        q.c = at(origin);
        q.b = b + times(origin);
        return q;
    }

    Scalar trace() const { return xx + yy + zz; }

    /// Where the function is least. Where the planes leave a direction open (flat and ruled places) the answer stays at
    /// `preferred`: a pull of 1e-5 of the planes' weight, well above what single precision leaves of noise, holds it
    /// there. Starting again from each answer makes the pull's effect on the other directions vanish (the proximal
    /// point method).
    Vec minimum(const Vec& preferred) const {
        constexpr Scalar pullShare = Scalar(1e-5);
        constexpr int steps = 3;
        const Scalar pull = pullShare * trace() / 3;
        const Scalar a = xx + pull, d = yy + pull, f = zz + pull;
        // The adjugate of the symmetric matrix; it is positive definite by the pull.
        const Scalar c00 = d * f - yz * yz, c01 = xz * yz - xy * f, c02 = xy * yz - xz * d;
        const Scalar determinant = a * c00 + xy * c01 + xz * c02;
        const Scalar c11 = a * f - xz * xz, c12 = xy * xz - a * yz, c22 = a * d - xy * xy;
        const Scalar inverse = 1 / determinant;
        Scalar x = preferred[0], y = preferred[1], z = preferred[2];
#pragma GCC unroll 3
        for (int step = 0; step < steps; ++step) {
            const Scalar rx = (pull * x - b[0]) * inverse;
            const Scalar ry = (pull * y - b[1]) * inverse;
            const Scalar rz = (pull * z - b[2]) * inverse;
            x = c00 * rx + c01 * ry + c02 * rz;
            y = c01 * rx + c11 * ry + c12 * rz;
            z = c02 * rx + c12 * ry + c22 * rz;
        }
        const bool isSolved = determinant > 0;
        return {isSolved ? x : preferred[0], isSolved ? y : preferred[1], isSolved ? z : preferred[2]};
    }
};

using Quadric = BasicQuadric<double>;
using StoredQuadric = BasicQuadric<float>;

}  // namespace um
