#include "bake/Flatten.h"

#include <Eigen/SparseCholesky>

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <numeric>
#include <unordered_map>

namespace um {
namespace {

using Sparse = Eigen::SparseMatrix<double>;
using Mat2d = Eigen::Matrix2d;

double cross(const Vec2d& a, const Vec2d& b) {
    return a.x() * b.y() - a.y() * b.x();
}

// A triangle in its own plane: what the gradient of a linear function on it is made of.
struct FlatTriangle {
    double area = 0;
    std::array<Vec2d, 3> gradients;  // of the function that is 1 at a corner and 0 at the others
};

// Triangles without an area count as if they had a little, so that they neither fold nor weigh.
FlatTriangle flatTriangle(const FlatPatch& patch, const Triangle& t) {
    const Vec3d a = patch.positions[t[0]], ab = patch.positions[t[1]] - a, ac = patch.positions[t[2]] - a;
    const double length = std::max(ab.norm(), 1e-12 + 1e-6 * ac.norm());
    const double along = ab.dot(ac) / length;
    const double longest = std::max({ab.squaredNorm(), ac.squaredNorm(), (ac - ab).squaredNorm()});
    const double up = std::max(ab.cross(ac).norm() / length, 1e-5 * longest / length + 1e-15);
    const std::array<Vec2d, 3> corners = {Vec2d(0, 0), Vec2d(length, 0), Vec2d(along, up)};
    FlatTriangle flat;
    flat.area = length * up / 2;
    for (std::size_t i = 0; i < 3; ++i) {
        const Vec2d opposite = corners[(i + 2) % 3] - corners[(i + 1) % 3];
        flat.gradients[i] = Vec2d(-opposite.y(), opposite.x()) / (2 * flat.area);
    }
    return flat;
}

// How the plane of a triangle is mapped.
Mat2d jacobian(const FlatTriangle& flat, const Triangle& t, const std::vector<Vec2d>& places) {
    Mat2d j = Mat2d::Zero();
    for (std::size_t i = 0; i < 3; ++i) j += places[t[i]] * flat.gradients[i].transpose();
    return j;
}

// The larger first.
Vec2d singularValues(const Mat2d& m) {
    const double half = m.squaredNorm() / 2, product = std::abs(m.determinant());
    const double larger = std::sqrt(half + std::sqrt(std::max(0.0, half * half - product * product)));
    return {larger, larger > 0 ? product / larger : 0};
}

// The turn that comes nearest to a matrix that turns nothing over.
Mat2d nearestRotation(const Mat2d& m) {
    const Vec2d turn = Vec2d(m(0, 0) + m(1, 1), m(1, 0) - m(0, 1)).normalized();
    return Mat2d{{turn.x(), -turn.y()}, {turn.y(), turn.x()}};
}

double flatAreaOf(const FlatPatch& patch, const Triangle& t) {
    return cross(patch.flat[t[1]] - patch.flat[t[0]], patch.flat[t[2]] - patch.flat[t[0]]) / 2;
}

// The half-edges that no triangle answers.
std::vector<std::array<VertexId, 2>> borderOf(const FlatPatch& patch) {
    std::vector<std::array<VertexId, 2>> all, border;
    all.reserve(3 * patch.triangles.size());
    for (const Triangle& t : patch.triangles)
        for (std::size_t k = 0; k < 3; ++k) all.push_back({t[k], t[(k + 1) % 3]});
    std::sort(all.begin(), all.end());
    for (const Triangle& t : patch.triangles)
        for (std::size_t k = 0; k < 3; ++k)
            if (!std::binary_search(all.begin(), all.end(), std::array{t[(k + 1) % 3], t[k]}))
                border.push_back({t[k], t[(k + 1) % 3]});
    return border;
}

// Two vertices of the border, far apart.
std::array<VertexId, 2> farApart(const FlatPatch& patch, const std::vector<std::array<VertexId, 2>>& border) {
    const auto farthestFrom = [&](VertexId from) {
        VertexId best = from;
        double most = -1;
        for (const auto& edge : border)
            if (const double d = (patch.positions[edge[0]] - patch.positions[from]).squaredNorm(); d > most) {
                most = d;
                best = edge[0];
            }
        return best;
    };
    const VertexId first = farthestFrom(border.front()[0]);
    return {first, farthestFrom(first)};
}

// Dirichlet's energy less the area: zero only where all angles stay.
bool keepAngles(FlatPatch& patch, const std::vector<FlatTriangle>& flats,
                const std::vector<std::array<VertexId, 2>>& border) {
    const std::array<VertexId, 2> pinned = farApart(patch, border);
    if (pinned[0] == pinned[1]) return false;
    patch.flat.assign(patch.positions.size(), Vec2d::Zero());
    patch.flat[pinned[1]] = Vec2d((patch.positions[pinned[1]] - patch.positions[pinned[0]]).norm(), 0);
    // A place in the plane as one number, x + i y.
    using Complex = std::complex<double>;
    using Matrix = Eigen::SparseMatrix<Complex>;
    std::vector<int> unknown(patch.positions.size());
    int unknowns = 0;
    for (VertexId v = 0; v < unknown.size(); ++v) unknown[v] = v == pinned[0] || v == pinned[1] ? -1 : unknowns++;
    std::vector<Eigen::Triplet<Complex>> entries;
    entries.reserve(9 * patch.triangles.size());
    Eigen::VectorXcd right = Eigen::VectorXcd::Zero(unknowns);
    const auto add = [&](VertexId a, VertexId b, const Complex& value) {
        const int row = unknown[a], column = unknown[b];
        if (row < 0) return;
        if (column < 0)
            right[row] -= value * Complex(patch.flat[b].x(), patch.flat[b].y());
        else if (row >= column)
            entries.emplace_back(row, column, value);
    };
    for (std::size_t t = 0; t < flats.size(); ++t) {
        const Triangle& corners = patch.triangles[t];
        for (std::size_t i = 0; i < 3; ++i)
            for (std::size_t j = 0; j < 3; ++j)
                add(corners[i], corners[j], flats[t].area * flats[t].gradients[i].dot(flats[t].gradients[j]));
    }
    for (const auto& [a, b] : border) {  // the area is half the sum of x_a y_b - y_a x_b along the border
        add(a, b, Complex(0, 0.5));
        add(b, a, Complex(0, -0.5));
    }
    Matrix matrix(unknowns, unknowns);
    matrix.setFromTriplets(entries.begin(), entries.end());
    const Eigen::SimplicialLDLT<Matrix, Eigen::Lower> solver(matrix);
    if (solver.info() != Eigen::Success) return false;
    const Eigen::VectorXcd solved = solver.solve(right);
    if (!solved.allFinite()) return false;
    for (VertexId v = 0; v < unknown.size(); ++v)
        if (unknown[v] >= 0) patch.flat[v] = Vec2d(solved[unknown[v]].real(), solved[unknown[v]].imag());
    return true;
}

bool noneIsTurned(const FlatPatch& patch) {
    return std::all_of(patch.triangles.begin(), patch.triangles.end(), [&](const Triangle& t) {
        const double longest = std::max((patch.flat[t[1]] - patch.flat[t[0]]).squaredNorm(),
                                        (patch.flat[t[2]] - patch.flat[t[0]]).squaredNorm());
        return flatAreaOf(patch, t) > 1e-9 * longest;
    });
}

void scaleToArea(FlatPatch& patch, const std::vector<FlatTriangle>& flats) {
    double area = 0, flatArea = 0;
    for (std::size_t t = 0; t < flats.size(); ++t) {
        area += flats[t].area;
        flatArea += flatAreaOf(patch, patch.triangles[t]);
    }
    const double scale = std::sqrt(area / flatArea);
    for (Vec2d& place : patch.flat) place *= scale;
}

// The symmetric Dirichlet energy: 4 a triangle's area where it keeps its shape, endless where one folds.
double energyOf(const FlatPatch& patch, const std::vector<FlatTriangle>& flats, const std::vector<Vec2d>& places) {
    double sum = 0;
    for (std::size_t t = 0; t < flats.size(); ++t) {
        const Mat2d j = jacobian(flats[t], patch.triangles[t], places);
        const double determinant = j.determinant();
        if (!(determinant > 0)) return std::numeric_limits<double>::infinity();
        const double squared = j.squaredNorm();
        sum += flats[t].area * squared * (1 + 1 / (determinant * determinant));
    }
    return sum;
}

// The longest step along which no triangle loses its area: the least positive root of its area as the step grows.
double longestStep(const FlatPatch& patch, const std::vector<Vec2d>& directions) {
    double least = std::numeric_limits<double>::infinity();
    for (const Triangle& t : patch.triangles) {
        const Vec2d e1 = patch.flat[t[1]] - patch.flat[t[0]], e2 = patch.flat[t[2]] - patch.flat[t[0]];
        const Vec2d d1 = directions[t[1]] - directions[t[0]], d2 = directions[t[2]] - directions[t[0]];
        const double a = cross(d1, d2), b = cross(e1, d2) + cross(d1, e2), c = cross(e1, e2);
        const double root = b * b - 4 * a * c;
        if (root < 0) continue;
        // c > 0, so that this form of the roots never divides by what may be nothing.
        const double q = -b + (b < 0 ? 1 : -1) * std::sqrt(root);
        for (const double step : {q != 0 ? 2 * c / q : -1.0, a != 0 ? q / (2 * a) : -1.0})
            if (step > 0) least = std::min(least, step);
    }
    return least;
}

// Evens out what is stretched, step by step, each of them the solution of a quadratic problem that agrees with the
// energy's slope.
class Relaxation {
public:
    Relaxation(FlatPatch& patch, const std::vector<FlatTriangle>& flats) : m_patch(patch), m_flats(flats) {
        m_energy = energyOf(patch, flats, patch.flat);
        for (const FlatTriangle& flat : flats) m_area += flat.area;
    }

    // @returns whether it got noticeably better
    bool step() {
        constexpr double noticeable = 1e-3;
        const Eigen::VectorXd solved = solve();
        if (solved.size() == 0 || !solved.allFinite()) return false;
        std::vector<Vec2d> directions(m_patch.flat.size()), tried(m_patch.flat.size());
        for (std::size_t v = 0; v < directions.size(); ++v)
            directions[v] = Vec2d(solved[2 * long(v)], solved[2 * long(v) + 1]) - m_patch.flat[v];
        double length = std::min(1.0, 0.8 * longestStep(m_patch, directions));
        for (int i = 0; i < 12; ++i, length /= 2) {
            for (std::size_t v = 0; v < tried.size(); ++v) tried[v] = m_patch.flat[v] + length * directions[v];
            const double energy = energyOf(m_patch, m_flats, tried);
            if (!(energy < m_energy)) continue;
            const bool isBetter = m_energy - energy > noticeable * (m_energy - 4 * m_area);
            m_energy = energy;
            m_patch.flat.swap(tried);
            return isBetter;
        }
        return false;
    }

private:
    Eigen::VectorXd solve() {
        const auto vertices = long(m_patch.flat.size());
        m_entries.clear();
        Eigen::VectorXd right = Eigen::VectorXd::Zero(2 * vertices);
        for (std::size_t t = 0; t < m_flats.size(); ++t) addTriangle(t, right);
        // Moving or turning the whole costs nothing; a little hold keeps it where it is.
        const double hold = 1e-5 * m_area / double(m_flats.size());
        for (long v = 0; v < vertices; ++v)
            for (long axis = 0; axis < 2; ++axis) {
                m_entries.emplace_back(2 * v + axis, 2 * v + axis, hold);
                right[2 * v + axis] += hold * m_patch.flat[std::size_t(v)][axis];
            }
        Sparse matrix(2 * vertices, 2 * vertices);
        matrix.setFromTriplets(m_entries.begin(), m_entries.end());
        if (!m_isAnalyzed) m_solver.analyzePattern(matrix);
        m_isAnalyzed = true;
        m_solver.factorize(matrix);
        if (m_solver.info() != Eigen::Success) return {};
        return m_solver.solve(right);
    }

    void addTriangle(std::size_t t, Eigen::VectorXd& right) {
        const FlatTriangle& flat = m_flats[t];
        const Triangle& corners = m_patch.triangles[t];
        const Mat2d map = jacobian(flat, corners, m_patch.flat), rotation = nearestRotation(map);
        // A singular value s weighs 1 + 1/s + 1/s^2 + 1/s^3: the slope of s^2 + 1/s^2 as a share of that of (s - 1)^2.
        const Mat2d inverse = (map * rotation.transpose()).inverse(), one = Mat2d::Identity();
        const Mat2d m = flat.area * (one + inverse * (one + inverse * (one + inverse)));
        const Mat2d wanted = m * rotation;
        for (std::size_t i = 0; i < 3; ++i) {
            const Vec2d pull = wanted * flat.gradients[i];
            for (int axis = 0; axis < 2; ++axis) right[2 * long(corners[i]) + axis] += pull[axis];
            for (std::size_t j = 0; j < 3; ++j) {
                const double product = flat.gradients[i].dot(flat.gradients[j]);
                for (int r = 0; r < 2; ++r)
                    for (int c = 0; c < 2; ++c) {
                        const long row = 2 * long(corners[i]) + r, column = 2 * long(corners[j]) + c;
                        if (row >= column) m_entries.emplace_back(row, column, m(r, c) * product);
                    }
            }
        }
    }

    FlatPatch& m_patch;
    const std::vector<FlatTriangle>& m_flats;
    double m_energy = 0, m_area = 0;
    bool m_isAnalyzed = false;
    std::vector<Eigen::Triplet<double>> m_entries;
    Eigen::SimplicialLDLT<Sparse, Eigen::Lower> m_solver;
};

// @returns false where the stretch stays above the most there may be
bool relax(FlatPatch& patch, const std::vector<FlatTriangle>& flats, double goodStretch, double mostStretch) {
    constexpr std::size_t mostSteps = 12, fewest = 3;
    constexpr double worthIt = 0.2;  // share of what is stretched that two steps take away
    std::vector<double> means = {stretchOf(patch).mean};
    if (means[0] <= goodStretch) return true;
    Relaxation relaxation(patch, flats);
    for (std::size_t i = 1; i <= mostSteps && means.back() > goodStretch && relaxation.step(); ++i) {
        means.push_back(stretchOf(patch).mean);
        if (i < 2) continue;
        const double gain = means[i - 2] - means[i], tooMuch = means[i] - mostStretch;
        if (tooMuch <= 0 && gain < worthIt * (means[i] - 1)) break;
        if (i >= fewest && gain / 2 * double(mostSteps - i) < tooMuch) return false;
    }
    if (!noneIsTurned(patch)) return false;
    scaleToArea(patch, flats);
    return means.back() <= mostStretch;
}

bool crosses(const Vec2d& a, const Vec2d& b, const Vec2d& c, const Vec2d& d) {
    const double abc = cross(b - a, c - a), abd = cross(b - a, d - a), cda = cross(d - c, a - c),
                 cdb = cross(d - c, b - c);
    return ((abc > 0) != (abd > 0)) && ((cda > 0) != (cdb > 0));
}

// Around a vertex there is a full turn at most; where there is more, the piece lies over itself like a spiral stair.
bool windsAround(const FlatPatch& patch) {
    std::vector<double> turn(patch.flat.size(), 0);
    for (const Triangle& t : patch.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2d to = patch.flat[t[(k + 1) % 3]] - patch.flat[t[k]],
                        from = patch.flat[t[(k + 2) % 3]] - patch.flat[t[k]];
            turn[t[k]] += std::atan2(cross(to, from), to.dot(from));
        }
    return std::any_of(turn.begin(), turn.end(), [](double angle) { return angle > 2 * pi + 1e-6; });
}

// Where no triangle is turned over, the piece lies over itself elsewhere only if its border crosses itself.
bool borderCrossesItself(const FlatPatch& patch, const std::vector<std::array<VertexId, 2>>& border) {
    Eigen::AlignedBox2d box;
    double length = 0;
    for (const auto& [a, b] : border) {
        box.extend(patch.flat[a]);
        length += (patch.flat[b] - patch.flat[a]).norm();
    }
    const double cell = std::max(length / double(border.size()), box.diagonal().norm() / 4096) * 2 + 1e-300;
    const auto cellOf = [&](const Vec2d& p) { return Eigen::Vector2i(((p - box.min()) / cell).cast<int>()); };
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> cells;
    for (std::uint32_t i = 0; i < border.size(); ++i) {
        const Vec2d a = patch.flat[border[i][0]], b = patch.flat[border[i][1]];
        const Eigen::Vector2i low = cellOf(a.cwiseMin(b)), high = cellOf(a.cwiseMax(b));
        for (int y = low.y(); y <= high.y(); ++y)
            for (int x = low.x(); x <= high.x(); ++x) {
                std::vector<std::uint32_t>& here = cells[std::uint64_t(std::uint32_t(x)) << 32 | std::uint32_t(y)];
                for (const std::uint32_t other : here) {
                    const auto& [c, d] = border[other];
                    if (c == border[i][0] || c == border[i][1] || d == border[i][0] || d == border[i][1]) continue;
                    if (crosses(a, b, patch.flat[c], patch.flat[d])) return true;
                }
                here.push_back(i);
            }
    }
    return false;
}

}  // namespace

Stretch stretchOf(const std::vector<const FlatPatch*>& patches, const std::vector<double>& sizes) {
    Stretch sum;
    double squares = 0, longest = 0, shortest = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < patches.size(); ++i)
        for (const Triangle& t : patches[i]->triangles) {
            const FlatPatch& patch = *patches[i];
            const Vec3d a = patch.positions[t[0]];
            const double area = areaNormal(a, patch.positions[t[1]], patch.positions[t[2]]).norm() / 2;
            if (!(area > 0)) continue;
            sum.area += area;
            sum.flatArea += flatAreaOf(patch, t) * sizes[i] * sizes[i];
            const Vec2d s = sizes[i] * singularValues(jacobian(flatTriangle(patch, t), t, patch.flat));
            // How far one goes on the surface for a step in the sheet, along the directions of most and of least.
            squares += area * (1 / (s[0] * s[0]) + 1 / (s[1] * s[1])) / 2;
            longest = std::max(longest, s[0]);
            shortest = std::min(shortest, s[1]);
        }
    if (!(sum.area > 0)) return sum;
    const double even = std::sqrt(sum.flatArea / sum.area);
    sum.mean = std::sqrt(squares / sum.area) * even;
    sum.worst = std::max({sum.worst, longest / even, even / shortest});
    return sum;
}

Stretch stretchOf(const FlatPatch& patch) {
    return stretchOf({&patch}, {1});
}

bool layFlat(FlatPatch& patch, double goodStretch, double mostStretch) {
    const auto fail = [&] {
        patch.flat.clear();
        return false;
    };
    const auto border = borderOf(patch);
    if (border.empty()) return fail();
    std::vector<FlatTriangle> flats;
    flats.reserve(patch.triangles.size());
    for (const Triangle& t : patch.triangles) flats.push_back(flatTriangle(patch, t));
    if (!keepAngles(patch, flats, border) || !noneIsTurned(patch)) return fail();
    scaleToArea(patch, flats);
    if (!relax(patch, flats, goodStretch, mostStretch)) return fail();
    if (windsAround(patch) || borderCrossesItself(patch, border)) return fail();
    return true;
}

}  // namespace um
