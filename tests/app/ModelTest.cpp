// What stands behind the widgets: jobs, the undoable document, the camera, and what is handed to the graphics card.
#include "app/desks/DocumentModel.h"
#include "app/jobs/Job.h"
#include "app/viewport/Camera.h"
#include "app/viewport/DrawMesh.h"
#include "base/Error.h"
#include "mesh/Normals.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QSignalSpy>
#include <thread>

using namespace um;
using namespace um::app;
using test::waitUntil;

namespace {

std::shared_ptr<const Mesh> shared(Mesh mesh) {
    return std::make_shared<const Mesh>(std::move(mesh));
}

Document documentOf(const std::shared_ptr<const Mesh>& source) {
    Document document;
    document.name = "a";
    document.source = source;
    return document;
}

// Where a place of the world falls in the picture, -1 to 1.
Eigen::Vector2d projected(const Camera& camera, const Vec3d& place, double aspect) {
    const Vec4f clip = camera.projection(aspect) * camera.view() * place.cast<float>().homogeneous();
    return {double(clip.x() / clip.w()), double(clip.y() / clip.w())};
}

}  // namespace

class ModelTest : public QObject {
    Q_OBJECT

private slots:
    void deliversInTheWindowsThread() {
        Job job;
        QSignalSpy ended(&job, &Job::ended);
        std::thread::id computed, delivered;
        job.start([&](const Progress&) -> Job::Delivery {
            computed = std::this_thread::get_id();
            return [&] { delivered = std::this_thread::get_id(); };
        });
        QVERIFY(job.isRunning());
        QVERIFY(ended.wait());
        QVERIFY(!job.isRunning());
        QVERIFY(delivered == std::this_thread::get_id() && computed != delivered);
    }

    void tellsProgressAndTimeLeft() {
        Job job;
        QSignalSpy progressed(&job, &Job::progressed);
        job.start([](const Progress& progress) -> Job::Delivery {
            for (int i = 0; i <= 20; ++i) {
                progress.at(i / 20.0);
                std::this_thread::sleep_for(std::chrono::milliseconds(40));
            }
            return {};
        });
        QVERIFY(waitUntil([&] { return !job.isRunning(); }, 10));
        QVERIFY(progressed.size() > 5);
        double last = 0;
        bool told = false;
        for (const QList<QVariant>& report : progressed) {
            QVERIFY(report[0].toDouble() >= last);
            last = report[0].toDouble();
            told = told || report[1].toDouble() > 0;
        }
        QVERIFY(told);
    }

    void cancelsWithoutDelivering() {
        Job job;
        QSignalSpy cancelled(&job, &Job::cancelled);
        bool delivered = false;
        job.start([&](const Progress& progress) -> Job::Delivery {
            while (true) progress.check();
            return [&] { delivered = true; };
        });
        job.cancel();
        QVERIFY(cancelled.wait());
        QVERIFY(!delivered);
    }

    void saysWhatWentWrong() {
        Job job;
        QSignalSpy failed(&job, &Job::failed);
        job.start([](const Progress&) -> Job::Delivery { throw FileError("jar.ply is cut off; copy it again."); });
        QVERIFY(failed.wait());
        QCOMPARE(failed[0][0].toString(), QString("jar.ply is cut off; copy it again."));
        job.start([](const Progress&) -> Job::Delivery { throw std::bad_alloc(); });
        QVERIFY(failed.wait());
        QVERIFY(failed[1][0].toString().contains("memory"));
        job.start([](const Progress&) -> Job::Delivery { throw std::runtime_error("odd"); });
        QVERIFY(failed.wait());
        QVERIFY(failed[2][0].toString().contains("odd"));
    }

    void dropsWhatANewStartHasOvertaken() {
        Job job;
        QStringList delivered;
        job.start([&](const Progress&) -> Job::Delivery {
            std::this_thread::sleep_for(std::chrono::milliseconds(120));
            return [&] { delivered += "first"; };
        });
        job.start([&](const Progress&) -> Job::Delivery { return [&] { delivered += "second"; }; });
        QVERIFY(waitUntil([&] { return !job.isRunning(); }, 10));
        QTest::qWait(250);
        QCOMPARE(delivered, QStringList{"second"});
    }

    void endsWithItsOwner() {
        std::atomic<bool> stopped = false;
        {
            Job job;
            job.start([&](const Progress& progress) -> Job::Delivery {
                try {
                    while (true) progress.check();
                } catch (const Cancelled&) {
                    stopped = true;
                    throw;
                }
            });
            QTest::qWait(30);
        }
        QVERIFY(stopped);
    }

    void undoesAndRedoesEveryChange() {
        DocumentModel model;
        const auto source = shared(test::makeSphere(1, 4));
        model.open(documentOf(source), false);
        QVERIFY(model.isOpen() && !model.isEdited());
        Document next = model.document();
        next.tolerance = 0.01;
        model.change("Tolerance", next);
        next.screen.heightPixels = 2160;
        model.change("Screen", next);
        next.levels.push_back(makeLevel("LOD 0", "10", shared(test::makeSphere(1, 2))));
        model.change("Keep", next);
        QCOMPARE(model.undoStack().undoText(), QString("Keep"));
        model.undoStack().undo();
        QVERIFY(model.document().levels.empty());
        model.undoStack().undo();
        QCOMPARE(model.document().screen.heightPixels, 1440);
        model.undoStack().undo();
        QCOMPARE(model.document().tolerance, 0.0005);
        QVERIFY(!model.isEdited());
        while (model.undoStack().canRedo()) model.undoStack().redo();
        QCOMPARE(model.document().levels.size(), std::size_t(1));
        QCOMPARE(model.document().tolerance, 0.01);
    }

    void takesNoChangeForNone() {
        DocumentModel model;
        model.open(documentOf(shared(test::makeSphere(1, 4))), false);
        model.change("Nothing", model.document());
        QVERIFY(!model.isEdited() && !model.undoStack().canUndo());
    }

    void keepsWhatWasMeasuredThroughUndoAndRedo() {
        DocumentModel model;
        const auto source = shared(test::makeSphere(1, 4));
        const auto level = shared(test::makeSphere(1, 2));
        model.open(documentOf(source), false);
        Document next = model.document();
        next.levels.push_back(makeLevel("LOD 0", "10", level));
        model.change("Keep", next);
        next = model.document();
        next.levels[0].name = "near";
        model.change("Rename", next);
        const auto evidence = std::make_shared<const Deviation>();
        model.attachEvidence(level, evidence);
        model.undoStack().undo();
        QCOMPARE(model.document().levels[0].name, std::string("LOD 0"));
        QCOMPARE(model.document().levels[0].evidence, evidence);
        // Against another source it says nothing.
        next = model.document();
        next.source = shared(test::makeSphere(2, 4));
        next.levels[0].evidence.reset();
        model.change("Replace source", next);
        QVERIFY(!model.document().levels[0].evidence);
    }

    void knowsWhatIsSaved() {
        DocumentModel model;
        model.open(documentOf(shared(test::makeSphere(1, 4))), true);
        QVERIFY(model.isEdited());  // recovered work was never saved
        model.markSaved("/tmp/some/jar.umesh");
        QVERIFY(!model.isEdited());
        QCOMPARE(model.document().name, std::string("jar"));
        Document next = model.document();
        next.tolerance = 1;
        model.change("Tolerance", next);
        QVERIFY(model.isEdited());
        model.undoStack().undo();
        QVERIFY(!model.isEdited());
        QCOMPARE(model.document().path, std::filesystem::path("/tmp/some/jar.umesh"));
    }

    void framesPlacesWithinAPartOfThePicture() {
        const Mesh ball = test::makeSphere(1, 12);
        std::vector<Vec3f> places;  // a long egg, far from the origin
        for (const Vec3f& p : ball.positions) places.push_back(p.cwiseProduct(Vec3f(4, 1, 2)) + Vec3f(30, -7, 5));
        const Camera::Part parts[] = {Camera::whole(), {Eigen::Vector2d(-0.9, -0.95), Eigen::Vector2d(0.2, 0.6)}};
        for (const Camera::Part& part : parts)
            for (const double aspect : {0.6, 1.0, 1.8})
                for (const auto& [yaw, pitch] : {std::pair{0.0, 0.0}, {0.7, 0.4}, {-2.0, -1.2}, {1.57, 1.5}}) {
                    Camera camera;
                    camera.lookFrom(yaw, pitch);
                    camera.frame(places, aspect, part);
                    Camera::Part all;
                    for (const Vec3f& place : places) all.extend(projected(camera, place.cast<double>(), aspect));
                    const Camera::Part room(part.min().array() - 1e-4, part.max().array() + 1e-4);
                    QVERIFY(room.contains(all));
                    // As large as that allows, and no farther from the middle than that asks for.
                    QVERIFY((all.sizes().array() / part.sizes().array()).maxCoeff() > 0.999);
                    for (int axis : {0, 1}) {
                        const bool isInTheMiddle = std::abs(all.center()[axis]) < 1e-4;
                        const bool touches = std::abs(all.min()[axis] - part.min()[axis]) < 1e-4 ||
                                             std::abs(all.max()[axis] - part.max()[axis]) < 1e-4;
                        QVERIFY(isInTheMiddle || touches);
                    }
                }
    }

    void looksAtAPlaceInTheMiddleOfAPart() {
        Camera camera;
        camera.lookFrom(0.8, 0.3);
        const Vec3d place(3, 1, -2);
        camera.lookAt(place, 0.1, {Eigen::Vector2d(-1, -1), Eigen::Vector2d(0, 0.5)});
        QVERIFY((projected(camera, place, 1.5) - Eigen::Vector2d(-0.5, -0.25)).norm() < 1e-4);
        // And it is there that one looks through that place of the picture.
        const Vec3d direction = camera.directionThrough(-0.5, -0.25, 1.5);
        QVERIFY(direction.cross(place - camera.eye()).norm() < 1e-9 * direction.norm());
        QVERIFY(direction.dot(place - camera.eye()) > 0);
        camera.orbit(0.4, -0.2);
        QVERIFY((projected(camera, place, 1.5) - Eigen::Vector2d(-0.5, -0.25)).norm() < 1e-4);
    }

    void zoomsToWhatLiesUnderTheCursor() {
        for (const double right : {1.0, 0.2}) {
            Camera camera;
            camera.frame(test::makeSphere(1, 12).positions, 1.5, {Eigen::Vector2d(-1, -1), Eigen::Vector2d(right, 1)});
            // A place as far away as the target, under (0.5, -0.3).
            const Vec3d through = camera.directionThrough(0.5, -0.3, 1.5);
            const Vec3d place = camera.eye() + camera.distance() * through;
            for (const double factor : {0.8, 0.5, 1.7}) {
                camera.zoom(factor, 0.5, -0.3, 1.5);
                QVERIFY((projected(camera, place, 1.5) - Eigen::Vector2d(0.5, -0.3)).norm() < 1e-4);
            }
        }
    }

    void pansWithTheHand() {
        Camera camera;
        camera.frame(test::makeSphere(1, 12).positions, 1, Camera::whole());
        const Vec3d grabbed = camera.target();
        const Eigen::Vector2d before = projected(camera, grabbed, 1);
        camera.pan(50, -25, 500);  // pixels of a picture 500 tall
        QVERIFY((projected(camera, grabbed, 1) - before - Eigen::Vector2d(0.2, 0.1)).norm() < 1e-4);
    }

    void looksFromWhereItSays() {
        Camera camera;
        camera.lookFrom(0, 0);
        QVERIFY((camera.eye() - camera.target()).normalized().isApprox(Vec3d(0, 0, 1), 1e-9));
        camera.lookFrom(pi / 2, 0);
        QVERIFY((camera.eye() - camera.target()).normalized().isApprox(Vec3d(1, 0, 0), 1e-9));
        camera.lookFrom(0, 5);  // no further than straight above
        QVERIFY(camera.pitch() < pi / 2);
    }

    void drawsPlainMeshesWithoutCopyingThem() {
        const auto mesh = shared(test::makeSphere(1, 12));
        const Drawable drawable = makeDrawable(mesh, Progress());
        QVERIFY(!drawable.standIn);
        QVERIFY(drawable.full->positions().data() == mesh->positions.data());
        QVERIFY(drawable.full->triangles().data() == mesh->triangles.data());
        QCOMPARE(drawable.full->normals.size(), mesh->vertexCount());
        for (std::size_t v = 0; v < mesh->vertexCount(); ++v) {
            const auto& n = drawable.full->normals[v];
            QVERIFY(Vec3f(n[0], n[1], n[2]).normalized().dot(mesh->positions[v]) > 0.98f);
        }
    }

    void drawsWedgesWhereNormalsDiffer() {
        Mesh box = test::makeBox({1, 1, 1}, 2);
        makeNormals(box, 40);
        std::vector<float> atVertex;
        for (std::size_t v = 0; v < box.vertexCount(); ++v) atVertex.push_back(float(v));
        const auto mesh = shared(box);
        const Drawable drawable = makeDrawable(mesh, Progress());
        const std::vector<float> values = valuesOfDrawn(*drawable.full, atVertex);
        QCOMPARE(drawable.full->positions().size(), mesh->wedgeCount());
        QVERIFY(mesh->wedgeCount() > mesh->vertexCount());
        for (std::size_t t = 0; t < mesh->triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                const std::uint32_t drawn = drawable.full->triangles()[t][c];
                QCOMPARE(drawable.full->positions()[drawn], mesh->positions[mesh->triangles[t][c]]);
                QCOMPARE(values[drawn], float(mesh->triangles[t][c]));
            }
    }

    void makesStandInsOfLargeMeshesOnly() {
        const auto large = shared(test::makeSphere(1, 150));
        const Drawable drawable = makeDrawable(large, Progress());
        QVERIFY(drawable.standIn);
        QVERIFY(drawable.standIn->mesh->triangleCount() < standInLimit);
        QVERIFY(drawable.standIn->mesh->triangleCount() > standInLimit / 8);
        QVERIFY((drawable.full->box.sizes() - Vec3f(2, 2, 2)).norm() < 1e-5f);
    }
};

UM_TEST(ModelTest)
#include "ModelTest.moc"
