#include "measure/ClosestPoint.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/TrianglePoint.h"

#include <embree3/rtcore.h>

namespace um {
namespace {

Vec3d closestPointOfTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    return closestOnTriangle(p, a, b, c).of(a, b, c);
}

Vec3d unitNormal(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const Vec3d normal = areaNormal(a, b, c);
    const double length = normal.norm();
    return length > 0 ? Vec3d(normal / length) : Vec3d(Vec3d::Zero());
}

struct Question {
    const Mesh& mesh;
    Vec3d point;
    SurfacePoint best;
};

// Called for the triangles within the present radius; a closer one shrinks it.
bool consider(RTCPointQueryFunctionArguments* arguments) {
    auto& question = *static_cast<Question*>(arguments->userPtr);
    const Triangle& triangle = question.mesh.triangles[arguments->primID];
    const Vec3d place = closestPointOfTriangle(question.point, question.mesh.positions[triangle[0]].cast<double>(),
                                               question.mesh.positions[triangle[1]].cast<double>(),
                                               question.mesh.positions[triangle[2]].cast<double>());
    const double distance = (place - question.point).norm();
    // Ties go to the smaller number, so that the answer does not depend on the way there.
    if (distance > question.best.distance ||
        (distance == question.best.distance && arguments->primID >= question.best.triangle))
        return false;
    question.best = {arguments->primID, place, distance};
    arguments->query->radius = float(distance) * (1 + 1e-6f);
    return true;
}

}  // namespace

struct ClosestPointFinder::Scene {
    RTCDevice device = nullptr;
    RTCScene scene = nullptr;

    Scene() : device(rtcNewDevice(nullptr)) {
        if (device != nullptr) scene = rtcNewScene(device);
        if (scene == nullptr)
            throw MeshError("The search structure for closest points cannot be made on this machine.");
    }
    ~Scene() {
        rtcReleaseScene(scene);
        rtcReleaseDevice(device);
    }
    Scene(const Scene&) = delete;
    Scene& operator=(const Scene&) = delete;
};

ClosestPointFinder::ClosestPointFinder(const Mesh& mesh, const Progress& progress)
    : m_mesh(mesh), m_scene(std::make_unique<Scene>()) {
    requireSound(mesh, "The mesh");
    m_around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    progress.at(0.2);
    RTCGeometry geometry = rtcNewGeometry(m_scene->device, RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* positions = static_cast<float*>(
        rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, mesh.vertexCount()));
    auto* indices = static_cast<std::uint32_t*>(
        rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, mesh.triangleCount()));
    if (positions == nullptr || indices == nullptr) {
        rtcReleaseGeometry(geometry);
        throw MeshError(
            "There is not enough memory to measure a mesh of this size; close other programs and try again.");
    }
    std::memcpy(positions, mesh.positions.data(), mesh.vertexCount() * 12);
    std::memcpy(indices, mesh.triangles.data(), mesh.triangleCount() * 12);
    rtcSetGeometryPointQueryFunction(geometry, consider);
    rtcSetGeometryBuildQuality(geometry, RTC_BUILD_QUALITY_LOW);
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(m_scene->scene, geometry);
    rtcReleaseGeometry(geometry);
    // The quick build: it is made once and asked about as often as it has triangles.
    rtcSetSceneBuildQuality(m_scene->scene, RTC_BUILD_QUALITY_LOW);
    rtcSetSceneProgressMonitorFunction(
        m_scene->scene, [](void* watched, double) { return !static_cast<const Progress*>(watched)->cancelled(); },
        const_cast<Progress*>(&progress));
    rtcCommitScene(m_scene->scene);
    rtcSetSceneProgressMonitorFunction(m_scene->scene, nullptr, nullptr);
    progress.at(1);
}

ClosestPointFinder::~ClosestPointFinder() = default;

double ClosestPointFinder::distanceTo(const Vec3d& p, TriangleId triangle) const {
    return (closestPointOfTriangle(p, corner(triangle, 0), corner(triangle, 1), corner(triangle, 2)) - p).norm();
}

SurfacePoint ClosestPointFinder::find(const Vec3d& p, TriangleId hint) const {
    Question question{m_mesh, p, {}};
    question.best.triangle = hint;
    question.best.place = closestPointOfTriangle(p, corner(hint, 0), corner(hint, 1), corner(hint, 2));
    question.best.distance = (question.best.place - p).norm();
    RTCPointQuery query{float(p.x()), float(p.y()), float(p.z()), 0, float(question.best.distance) * (1 + 1e-6f)};
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    rtcPointQuery(m_scene->scene, &query, &context, nullptr, &question);
    return question.best;
}

Vec3d ClosestPointFinder::pseudoNormal(const SurfacePoint& closest) const {
    const Triangle& triangle = m_mesh.triangles[closest.triangle];
    const std::array<Vec3d, 3> corners = {corner(closest.triangle, 0), corner(closest.triangle, 1),
                                          corner(closest.triangle, 2)};
    const double size = (corners[1] - corners[0]).squaredNorm() + (corners[2] - corners[0]).squaredNorm();
    const double near = 1e-12 * size;
    for (std::size_t i = 0; i < 3; ++i)
        if ((closest.place - corners[i]).squaredNorm() <= near) return vertexNormal(m_mesh, m_around, triangle[i]);
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t j = (i + 1) % 3;
        const Vec3d edge = corners[j] - corners[i];
        const Vec3d from = closest.place - corners[i];
        if (from.cross(edge).squaredNorm() > near * edge.squaredNorm()) continue;
        Vec3d sum = Vec3d::Zero();
        for (const TriangleId t : m_around.of(triangle[i])) {
            const Triangle& other = m_mesh.triangles[t];
            if (std::find(other.begin(), other.end(), triangle[j]) != other.end())
                sum += unitNormal(corner(t, 0), corner(t, 1), corner(t, 2));
        }
        return sum;
    }
    return unitNormal(corners[0], corners[1], corners[2]);
}

double ClosestPointFinder::sideOf(const Vec3d& p, const SurfacePoint& closest) const {
    return (p - closest.place).dot(pseudoNormal(closest)) < 0 ? -1.0 : 1.0;
}

}  // namespace um
