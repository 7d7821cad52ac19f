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

    /// The plane through `point` with the unit normal `n`, times a weight.
    static BasicQuadric plane(const Vec& n, const Vec& point, Scalar weight) {
        BasicQuadric q;
        const Scalar d = -n.dot(point);
        q.xx = weight * n.x() * n.x();
        q.xy = weight * n.x() * n.y();
        q.xz = weight * n.x() * n.z();
        q.yy = weight * n.y() * n.y();
        q.yz = weight * n.y() * n.z();
        q.zz = weight * n.z() * n.z();
        q.b = weight * d * n;
        q.c = weight * d * d;
        return q;
    }

    Vec times(const Vec& x) const {
        return {xx * x.x() + xy * x.y() + xz * x.z(), xy * x.x() + yy * x.y() + yz * x.z(),
                xz * x.x() + yz * x.y() + zz * x.z()};
    }

    Scalar at(const Vec& x) const { return x.dot(times(x)) + 2 * b.dot(x) + c; }

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
        if (!(determinant > 0)) return preferred;
        const Scalar c11 = a * f - xz * xz, c12 = xy * xz - a * yz, c22 = a * d - xy * xy;
        const Scalar inverse = 1 / determinant;
        Vec x = preferred;
        for (int step = 0; step < steps; ++step) {
            const Vec r = (pull * x - b) * inverse;
            x = Vec(c00 * r.x() + c01 * r.y() + c02 * r.z(), c01 * r.x() + c11 * r.y() + c12 * r.z(),
                    c02 * r.x() + c12 * r.y() + c22 * r.z());
        }
        return x;
    }
};

using Quadric = BasicQuadric<double>;
using StoredQuadric = BasicQuadric<float>;

}  // namespace um
