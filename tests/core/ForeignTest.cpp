// Formats that another library reads, in a process of its own.
#include "files/MeshFile.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/ForeignFiles.h"
#include "tests/support/Numbers.h"
#include "tests/support/TestMain.h"

#include <QElapsedTimer>
#include <QTest>
#include <thread>

using namespace um;

namespace {

Vec3f sizeOf(const Mesh& mesh) {
    const Box3f box = boundingBox(mesh);
    return box.max() - box.min();
}

}  // namespace

class ForeignTest : public QObject {
    Q_OBJECT

private slots:
    void readsOff() {
        const MeshFile file = read("pyramid.off", test::offPyramid());
        QCOMPARE(file.format, MeshFormat::Off);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(5));
        QCOMPARE(file.mesh.vertexCount(), std::size_t(5));
        QCOMPARE(file.mesh.parts[0].name, std::string("pyramid"));
        QVERIFY(!file.mesh.unitStated);
        QCOMPARE(file.remarks, std::vector<std::string>{"1 polygon was cut into triangles."});
        QVERIFY(file.notes.empty());
        QVERIFY(!file.mesh.hasAttributes());  // no normals of our making
    }

    // Metres, and y upwards.
    void readsCollada() {
        const MeshFile file = read("hatch.dae", test::colladaPlate());
        QCOMPARE(file.format, MeshFormat::Collada);
        const Mesh& mesh = file.mesh;
        QCOMPARE(mesh.triangleCount(), std::size_t(2));
        QCOMPARE(mesh.vertexCount(), std::size_t(4));
        QCOMPARE(mesh.parts[0].name, std::string("Hatch"));
        QCOMPARE(mesh.materials[0].name, std::string("Rust"));
        QVERIFY(std::abs(mesh.materials[0].baseColor[1] - 0.25F) < 1e-6F);
        QVERIFY((sizeOf(mesh) - Vec3f(1, 0, 1)).norm() < 1e-6F);
        QVERIFY(std::abs(mesh.positions[0].y() - 0.5F) < 1e-6F);
        QVERIFY(mesh.unitStated);
        // Where it is one metre along x, it is one along u.
        for (std::size_t t = 0; t < 2; ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3f& p = mesh.positions[mesh.triangles[t][k]];
                const Vec2f& uv = mesh.uvs[mesh.wedgesOf(TriangleId(t))[k]];
                QVERIFY(std::abs(uv.x() - p.x()) < 1e-6F && std::abs(uv.y() + p.z()) < 1e-6F);
            }
    }

    void readsX3d() {
        const MeshFile file = read("sail.x3d", test::x3dSail());
        QCOMPARE(file.format, MeshFormat::X3d);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(3));
        QVERIFY(file.mesh.materials[0].baseColor == (std::array<float, 4>{1, 0, 0, 1}));
        QVERIFY((sizeOf(file.mesh) - Vec3f(2, 2, 1)).norm() < 1e-6F);
    }

    void readsThreeMf() {
        const MeshFile file = read("foot.3mf", test::threeMfFoot());
        QCOMPARE(file.format, MeshFormat::ThreeMf);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(4));
        const Vec3f metres = sizeOf(file.mesh) * float(file.mesh.metresPerUnit);
        QVERIFY((metres - Vec3f(0.01F, 0.02F, 0.03F)).norm() < 1e-7F);
    }

    void knowsThemInAnyCaseAndWritesNone() {
        QCOMPARE(read("PYRAMID.OFF", test::offPyramid()).mesh.triangleCount(), std::size_t(5));
        const Mesh mesh = read("pyramid.off", test::offPyramid()).mesh;
        for (const char* name : {"a.dae", "a.x3d", "a.off", "a.3mf"}) {
            const QString error = test::errorOf([&] { writeMesh(mesh, m_folder / name, Progress()); });
            QVERIFY2(error.contains("only read") && error.contains(".glb"), qPrintable(error));
            QVERIFY(!std::filesystem::exists(m_folder / name));
        }
    }

    void saysWhatIsWrongWithDamagedOnes() {
        for (const auto& [name, bytes] :
             {std::pair<std::string, std::string>{"a.off", "OFF\n3 1 0\n0 0"},
              {"b.dae", "<COLLADA"},
              {"c.x3d", "no page at all"},
              {"d.3mf", "PK nothing"},
              {"e.off", "OFF\n4000000000 4000000000 0\n"},
              {"g.dae", std::string(test::colladaPlate()).replace(test::colladaPlate().find("100 0 0"), 3, "NaN")},
              {"h.x3d", "<X3D><Scene><Group/></Scene></X3D>"}}) {
            const std::filesystem::path path = m_folder.write(name, bytes);
            const QString error = test::errorOf([&] { readMesh(path, Progress()); });
            QVERIFY2(error.count(QString::fromStdString(name)) == 1 && error.contains("xport"), qPrintable(error));
        }
    }

    void tellsWhatWasMendedInReading() {
        const MeshFile file = read("f.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n");
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("index") != std::string::npos, file.notes[0].c_str());
    }

    // The library ends its process over some of these; ours goes on.
    void survivesWhateverHappensToAFile() {
        test::Numbers number(7);
        int whole = 0, refused = 0;
        for (const auto& [name, bytes] : {std::pair{"a.off", test::offPyramid()},
                                          {"a.dae", test::colladaPlate()},
                                          {"a.x3d", test::x3dSail()},
                                          {"a.3mf", test::threeMfFoot()}})
            for (int i = 0; i < 12; ++i) {
                const std::filesystem::path path = m_folder.write(name, test::damaged(bytes, number));
                const QString error = test::errorOf([&] {
                    requireSound(readMesh(path, Progress()).mesh, "what was read");
                    ++whole;
                });
                QVERIFY2(error.isEmpty() || error.endsWith('.'), qPrintable(error));
                refused += error.isEmpty() ? 0 : 1;
            }
        QVERIFY(whole > 0 && refused > 0);
    }

    void stopsWhenCancelled() {
        std::string large = "OFF\n1000000 1000000 0\n";
        for (int i = 0; i < 1'000'000; ++i) large += std::to_string(i % 1000) + " " + std::to_string(i / 1000) + " 0\n";
        for (int i = 0; i < 1'000'000; ++i)
            large += "3 " + std::to_string(i) + " " + std::to_string((i + 1) % 1'000'000) + " " +
                     std::to_string((i + 1000) % 1'000'000) + "\n";
        const std::filesystem::path path = m_folder.write("large.off", large);
        const Progress progress;
        std::thread other([&] {
            std::this_thread::sleep_for(std::chrono::milliseconds(100));
            progress.cancel();
        });
        QElapsedTimer clock;
        clock.start();
        bool wasCancelled = false;
        try {
            readMesh(path, progress);
        } catch (const Cancelled&) {
            wasCancelled = true;
        }
        other.join();
        QVERIFY(wasCancelled);
        QVERIFY2(clock.elapsed() < 2000, qPrintable(QString::number(clock.elapsed())));
    }

private:
    MeshFile read(const std::string& name, const std::string& bytes) const {
        return readMesh(m_folder.write(name, bytes), Progress());
    }

    test::Folder m_folder;
};

UM_TEST(ForeignTest)
#include "ForeignTest.moc"
