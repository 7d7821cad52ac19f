// A few triangles brought closer to the source by trying: which steps are taken, and which never are.
#include "reduce/EdgeRules.h"
#include "reduce/Patch.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

#include <set>

using namespace um;

namespace {

using Height = std::function<double(double x, double z)>;

// A piece of 3 x 3 squares, of which the rim is on the ground, and what is inside as far up as it says.
Patch::Content content(const Height& ground, const Height& level) {
    Patch::Content content;
    content.ground = test::makeSheet(36, 36, 1, 1, ground);
    content.piece = test::makeSheet(3, 3, 1, 1, level);
    for (const Vec3f& p : content.piece.positions) {
        const auto isEnd = [](float x) { return x < 0.01F || x > 0.99F; };
        content.roles.push_back({isEnd(p.x()) || isEnd(p.z()), false, false});
    }
    content.sections.assign(content.piece.triangleCount(), 0);
    for (const Vec3f& p : content.ground.positions) content.samples.push_back(p.cast<double>());
    content.beside.assign(content.samples.size(), std::numeric_limits<float>::max());
    return content;
}

// All edges are lines then, of which the source has those points.
void makeLines(Patch::Content& content, const std::vector<Vec3d>& samples) {
    for (Patch::Role& role : content.roles) role.isOnLine = true;
    std::set<std::pair<VertexId, VertexId>> edges;
    for (const Triangle& t : content.piece.triangles)
        for (std::size_t k = 0; k < 3; ++k) edges.insert(std::minmax({t[k], t[(k + 1) % 3]}));
    for (const auto& [a, b] : edges) content.lines.push_back({a, b, false, samples});
}

double flat(double, double) {
    return 0;
}

VertexId vertexAt(const Mesh& mesh, const Vec3d& p) {
    const auto off = [&](const Vec3f& q) { return (Vec2d(q.x(), q.z()) - Vec2d(p.x(), p.z())).squaredNorm(); };
    return VertexId(std::min_element(mesh.positions.begin(), mesh.positions.end(),
                                     [&](const Vec3f& x, const Vec3f& y) { return off(x) < off(y); }) -
                    mesh.positions.begin());
}

// 1 in the middle, down to 0 from a third to two thirds.
double bulge(double x) {
    return std::max(0.0, 1 - 6 * std::abs(x - 0.5));
}

// A little hill in the middle, which no vertex of the piece stands on.
Height hill(double steepness = 12) {
    return [=](double x, double z) { return 0.08 * std::max(0.0, 1 - steepness * std::hypot(x - 0.45, z - 0.5)); };
}

// How far the two are apart at most, asked of closely lying points.
double apart(const Mesh& piece, const Mesh& ground) {
    const auto farthest = [](const Mesh& from, const Mesh& to) {
        const TriangleTree tree(to, Progress());
        double most = 0;
        for (TriangleId t = 0; t < from.triangles.size(); ++t) {
            const auto at = [&](std::size_t k) { return Vec3d(from.positions[from.triangles[t][k]].cast<double>()); };
            for (int i = 0; i <= 8; ++i)
                for (int j = 0; i + j <= 8; ++j) {
                    const Vec3d p = TrianglePoint{i / 8.0, j / 8.0}.of(at(0), at(1), at(2));
                    SurfacePoint closest;
                    tree.findClosest(std::span(&p, 1), 0, std::span(&closest, 1));
                    most = std::max(most, closest.distance);
                }
        }
        return most;
    };
    return std::max(farthest(piece, ground), farthest(ground, piece));
}

double sumOfSquares(const std::vector<Vec3d>& samples, const Mesh& piece) {
    const TriangleTree tree(piece, Progress());
    double sum = 0;
    for (const Vec3d& p : samples) {
        SurfacePoint closest;
        tree.findClosest(std::span(&p, 1), 0, std::span(&closest, 1));
        sum += closest.distance * closest.distance;
    }
    return sum;
}

std::set<PatchStep::Kind> kindsOf(const std::vector<PatchStep>& steps) {
    std::set<PatchStep::Kind> kinds;
    for (const PatchStep& step : steps) kinds.insert(step.kind);
    return kinds;
}

}  // namespace

class PatchTest : public QObject {
    Q_OBJECT

private slots:
    void doesNothingWhereNothingIsFarOff() {
        Patch patch(content(flat, flat));
        QVERIFY(patch.improve(0.01, {6, 1.1}, Progress()).empty());
        QVERIFY(patch.farthest() < 1e-6);
    }

    void putsAVertexOnWhatHasBeenLost() {
        Patch::Content before = content(hill(), flat);
        makeLines(before, {});
        const Mesh ground = before.ground;
        const double was = apart(before.piece, ground);
        Patch patch(std::move(before));
        const std::vector<PatchStep> steps = patch.improve(0.03, {6, 1.1}, Progress());
        QVERIFY(std::any_of(steps.begin(), steps.end(), [](const PatchStep& step) { return step.addsAVertex(); }));
        QVERIFY2(apart(patch.piece(), ground) < 0.7 * was, qPrintable(QString::number(apart(patch.piece(), ground))));
        QVERIFY(std::abs(patch.farthest() - apart(patch.piece(), ground)) < 0.1 * patch.farthest());
    }

    void movesWhatIsThereWhereThereIsNoneToAdd() {
        Patch::Content before = content(hill(6), flat);
        const Mesh ground = before.ground, piece = before.piece;
        Patch patch(std::move(before));
        const std::vector<PatchStep> steps = patch.improve(0.03, {0, 1.1}, Progress());
        QVERIFY(!steps.empty());
        QVERIFY(std::none_of(steps.begin(), steps.end(), [](const PatchStep& step) { return step.addsAVertex(); }));
        QCOMPARE(patch.piece().triangles.size(), piece.triangles.size());
        QVERIFY(apart(patch.piece(), ground) < 0.9 * apart(piece, ground));
    }

    // Where no step helps by itself, two may.
    void looksTwoStepsAhead() {
        int better = 0;
        for (const double x : {0.42, 0.5, 0.58})
            for (const double z : {0.38, 0.45, 0.5})
                for (const double steepness : {9.0, 12.0, 16.0}) {
                    const Height peak = [&](double px, double pz) {
                        return 0.12 * std::max(0.0, 1 - steepness * std::hypot(px - x, pz - z));
                    };
                    const auto left = [&](std::size_t ahead) {
                        PatchLimits limits;
                        limits.ahead = ahead;
                        Patch patch(content(peak, flat));
                        patch.improve(0.03, limits, Progress());
                        return patch.farthest();
                    };
                    const double one = left(0), two = left(8);
                    QVERIFY2(two < 1.02 * one, qPrintable(QString("%1 %2").arg(one).arg(two)));
                    better += two < 0.9 * one ? 1 : 0;
                }
        QVERIFY(better > 0);
    }

    // The narrower the hill, the more of the plain around it comes off the ground with the vertex that goes up there.
    void doesNotLiftThePlainForTheSakeOfAPeak() {
        std::size_t steps = 0;
        for (const double steepness : {4.0, 6.0, 9.0, 12.0, 16.0, 20.0}) {
            Patch::Content before = content(hill(steepness), flat);
            const std::vector<Vec3d> samples = before.samples;
            const double was = sumOfSquares(samples, before.piece);
            Patch patch(std::move(before));
            steps += patch.improve(0.03, {0, 1.1}, Progress()).size();
            const double is = sumOfSquares(samples, patch.piece());
            QVERIFY2(is <= 1.11 * was, qPrintable(QString("%1 of %2").arg(is).arg(was)));
        }
        QVERIFY(steps > 0);
    }

    void flipsAnEdgeThatRunsAcrossAFold() {
        // The fold runs along the other diagonal of the square in the middle.
        const Height fold = [](double x, double z) { return -std::abs(x - z) / 4; };
        const Height other = [](double x, double z) { return -std::abs(x + z - 1) / 4; };
        std::size_t flips = 0;
        for (const Height& height : {fold, other}) {
            Patch::Content before = content(height, height);
            const double was = apart(before.piece, before.ground);
            const Mesh ground = before.ground;
            Patch patch(std::move(before));
            for (const PatchStep& step : patch.improve(0.5 * was, {0, 1.1}, Progress()))
                flips += step.kind == PatchStep::Kind::Flip;
            QVERIFY(apart(patch.piece(), ground) <= was + 1e-6);
        }
        QVERIFY(flips > 0);
    }

    void leavesTheRimAndLinesWhereTheyAre() {
        for (const bool areLines : {false, true}) {
            Patch::Content before = content(hill(), flat);
            if (areLines) makeLines(before, {});
            const std::vector<Patch::Role> roles = before.roles;
            const std::vector<Vec3f> positions = before.piece.positions;
            Patch patch(std::move(before));
            const auto kinds = kindsOf(patch.improve(0.02, {areLines ? 2U : 0U, 1.1}, Progress()));
            if (areLines) QVERIFY(kinds.contains(PatchStep::Kind::SplitTriangle));
            if (areLines)
                QVERIFY(!kinds.contains(PatchStep::Kind::Flip) && !kinds.contains(PatchStep::Kind::SplitEdge));
            for (std::size_t v = 0; v < positions.size(); ++v)
                if (areLines || roles[v].isOnRim) QCOMPARE(patch.piece().positions[v], positions[v]);
        }
    }

    void movesALineToWhatTheSourceHasOfItOnly() {
        Patch::Content before = content(hill(6), flat);
        const Mesh piece = before.piece, ground = before.ground;
        const Vec3d top(0.45, hill(6)(0.45, 0.5), 0.5);
        makeLines(before, {top});
        Patch patch(std::move(before));
        QVERIFY(!patch.improve(0.03, {0, 1.1}, Progress()).empty());
        for (std::size_t v = 0; v < piece.positions.size(); ++v) {
            const Vec3d from = piece.positions[v].cast<double>(), to = patch.piece().positions[v].cast<double>();
            QVERIFY((to - from).cross(top - from).norm() < 1e-6);
        }
        QVERIFY(apart(patch.piece(), ground) < 0.9 * apart(piece, ground));
    }

    // The source's border bulges between two of the piece's vertices.
    void splitsABorderAlongTheSources() {
        for (const bool mayBeSplit : {false, true}) {
            Patch::Content before = content(flat, flat);
            const auto move = [](const Vec3d& p) { return Vec3d(p.x(), 0, p.z() * (1 + 0.1 * bulge(p.x()))); };
            for (Vec3f& p : before.ground.positions) p = move(p.cast<double>()).cast<float>();
            for (Vec3d& p : before.samples) p = move(p);
            const VertexId a = vertexAt(before.piece, {1.0 / 3, 0, 1}), b = vertexAt(before.piece, {2.0 / 3, 0, 1});
            Patch::Line border{a, b, mayBeSplit, {}};
            for (const Vec3d& p : before.samples)
                if (p.z() >= 1) border.samples.push_back(p);
            for (const VertexId v : {a, b}) before.roles[v] = {false, true, false};
            before.lines = {border};
            const Mesh piece = before.piece, ground = before.ground;
            Patch patch(std::move(before));
            const std::vector<PatchStep> steps = patch.improve(0.03, {1, 1.1}, Progress());
            QCOMPARE(patch.piece().triangles.size(), piece.triangles.size() + (mayBeSplit ? 1 : 0));
            if (!mayBeSplit) continue;
            QCOMPARE(steps.front().kind, PatchStep::Kind::SplitEdge);
            QVERIFY(!steps.front().beyond.isThere());
            QVERIFY(apart(patch.piece(), ground) < 0.5 * apart(piece, ground));
            const Vec3d v = patch.piece().positions.back().cast<double>();
            QVERIFY(std::abs(v.z() - move({v.x(), 0, 1}).z()) < 1e-3);
        }
    }

    // A ridge bends between two vertices on it; the sides of it may have a texture each.
    void splitsALineAlongTheSources() {
        for (const bool isSeam : {false, true}) {
            const auto ridge = [](double x) { return 1.0 / 3 + 0.12 * bulge(x); };
            const Height straight = [](double, double z) { return -0.7 * std::abs(z - 1.0 / 3); };
            const Height bent = [&](double x, double z) {
                if (z > 2.0 / 3) return straight(x, z);
                const double share = z < ridge(x) ? z / ridge(x) : (2.0 / 3 - z) / (2.0 / 3 - ridge(x));
                return straight(x, share / 3);
            };
            Patch::Content before = content(bent, straight);
            const VertexId a = vertexAt(before.piece, {1.0 / 3, 0, 1.0 / 3}),
                           b = vertexAt(before.piece, {2.0 / 3, 0, 1.0 / 3});
            Patch::Line line{a, b, true, {}};
            for (double x = 0.35; x < 0.66; x += 0.01) line.samples.push_back({x, 0, ridge(x)});
            for (const VertexId v : {a, b}) before.roles[v].isOnLine = before.roles[v].isHeld = true;
            before.lines = {line};
            if (isSeam)
                for (const Triangle& t : before.piece.triangles) {
                    const bool isAbove = std::any_of(t.begin(), t.end(),
                                                     [&](VertexId v) { return before.piece.positions[v].z() > 0.5F; });
                    const WedgeId more = isAbove ? 100 : 0;
                    before.piece.wedges.push_back({t[0] + more, t[1] + more, t[2] + more});
                }
            const Mesh piece = before.piece, ground = before.ground;
            Patch patch(std::move(before));
            const std::vector<PatchStep> steps = patch.improve(0.02, {2, 1.1}, Progress());
            QVERIFY(kindsOf(steps).contains(PatchStep::Kind::SplitEdge));
            QVERIFY2(apart(patch.piece(), ground) < 0.6 * apart(piece, ground),
                     qPrintable(QString("%1 of %2").arg(apart(patch.piece(), ground)).arg(apart(piece, ground))));
            const Vec3d v = patch.piece().positions.back().cast<double>();
            QVERIFY(std::abs(v.z() - ridge(v.x())) < 1e-6);
            if (!isSeam) continue;
            std::set<WedgeId> wedges;
            for (std::size_t t = 0; t < patch.piece().triangles.size(); ++t)
                for (std::size_t k = 0; k < 3; ++k)
                    if (patch.piece().triangles[t][k] + 1 == patch.piece().positions.size())
                        wedges.insert(patch.piece().wedges[t][k]);
            QCOMPARE(wedges.size(), std::size_t(2));
        }
    }

    void leavesWhatIsHeldAlone() {
        Patch::Content before = content(hill(), flat);
        for (Patch::Role& role : before.roles) role.isOnLine = role.isHeld = true;
        Patch patch(std::move(before));
        QVERIFY(patch.improve(0.02, {6, 1.1}, Progress()).empty());
    }

    void keepsToEdgesThatMaterialsAndSeamsLeave() {
        for (const bool areSeams : {false, true}) {
            Patch::Content before = content(hill(), flat);
            for (TriangleId t = 0; t < before.piece.triangles.size(); ++t) {
                const WedgeId w = 3 * t;
                if (areSeams) before.piece.wedges.push_back({w, w + 1, w + 2});
                if (!areSeams) before.sections[t] = std::uint16_t(t);
            }
            Patch patch(std::move(before));
            const auto kinds = kindsOf(patch.improve(0.02, {4, 1.1}, Progress()));
            QVERIFY(!kinds.empty());
            QVERIFY(!kinds.contains(PatchStep::Kind::Flip) && !kinds.contains(PatchStep::Kind::SplitEdge));
        }
    }

    void turnsNothingOverAndMakesNoNeedles() {
        for (int n = 0; n < 20; ++n) {
            const Height rough = [&](double x, double z) { return 0.05 * std::sin(9 * x + n) * std::cos(11 * z - n); };
            Patch patch(content(rough, [&](double x, double z) { return n % 2 == 0 ? rough(x, z) : 0.0; }));
            patch.improve(0.01, {8, 1.1}, Progress());
            const Mesh& piece = patch.piece();
            for (const Triangle& t : piece.triangles) {
                const Vec3d a = piece.positions[t[0]].cast<double>(), b = piece.positions[t[1]].cast<double>(),
                            c = piece.positions[t[2]].cast<double>();
                QVERIFY(shapeOf(a, b, c) >= needleQuality);
                QVERIFY(areaNormal(a, b, c).y() > 0);
            }
        }
    }

    // What is done to the patch is done to the level by the same steps.
    void itsStepsCanBeDoneAgain() {
        Patch::Content before = content(hill(), flat);
        Mesh again = before.piece;
        std::vector<std::uint16_t> sections = before.sections;
        Patch patch(std::move(before));
        for (const PatchStep& step : patch.improve(0.02, {6, 1.1}, Progress())) {
            switch (step.kind) {
                case PatchStep::Kind::Flip: flipEdge(again, step.triangle, step.corner, step.beyond); break;
                case PatchStep::Kind::Move: again.positions[step.vertex] = step.place.cast<float>(); break;
                case PatchStep::Kind::SplitTriangle:
                    splitTriangle(again, sections, step.triangle, step.at, 0);
                    again.positions.back() = step.place.cast<float>();
                    break;
                case PatchStep::Kind::SplitEdge:
                    splitEdge(again, sections, step.triangle, step.corner, step.beyond, step.at, 0);
                    again.positions.back() = step.place.cast<float>();
                    break;
            }
        }
        QVERIFY(again.triangles == patch.piece().triangles);
        QVERIFY(again.positions == patch.piece().positions);
    }

    void climbsToTheTopOfARidge() {
        const auto ofEach = [](const auto& valueAt) {
            return [&valueAt](auto places, auto values) {
                std::transform(places.begin(), places.end(), values.begin(), valueAt);
            };
        };
        const auto ridge = [](const TrianglePoint& at) { return 1 - 20 * std::abs(at.second - 0.29); };
        double value = ridge({0.333, 0.2});
        const TrianglePoint top = climb({0.333, 0.2}, value, ofEach(ridge));
        QVERIFY(std::abs(top.second - 0.29) < 0.02);
        QCOMPARE(value, ridge(top));
        const auto across = [](const TrianglePoint& at) { return at.second; };
        double atCorner = 1;
        const TrianglePoint corner = climb({1, 0}, atCorner, ofEach(across));
        QCOMPARE(corner.second, 1.0);
    }
};

UM_TEST(PatchTest)
#include "PatchTest.moc"
