#include "mesh/Placement.h"

#include "base/Parallel.h"

namespace um {
namespace {

using Matrix = Eigen::Matrix<float, 4, 4, Eigen::ColMajor>;

Eigen::Map<Matrix> matrixOf(std::array<float, 16>& values) {
    return Eigen::Map<Matrix>(values.data());
}

void move(Mesh& mesh, const Vec3f& by) {
    for (Vec3f& p : mesh.positions) p += by;
    Matrix there = Matrix::Identity(), back = Matrix::Identity();
    there.block<3, 1>(0, 3) = by;
    back.block<3, 1>(0, 3) = -by;
    for (Joint& joint : mesh.skeleton) {
        if (joint.parent < 0) matrixOf(joint.local) = (there * matrixOf(joint.local)).eval();
        matrixOf(joint.inverseBind) = (matrixOf(joint.inverseBind) * back).eval();
    }
}

// A quarter turn about x; to z, or back.
void turn(Mesh& mesh, bool toZ) {
    const auto turnAll = [&](std::vector<Vec3f>& values) {
        parallelFor(values.size(), [&](std::size_t i) { values[i] = turned(values[i], toZ); });
    };
    turnAll(mesh.positions);
    turnAll(mesh.normals);
    for (Morph& morph : mesh.morphs) turnAll(morph.offsets);
    const float sign = toZ ? 1 : -1;
    Matrix turn = Matrix::Identity();
    turn.block<3, 3>(0, 0) << 1, 0, 0, 0, 0, -sign, 0, sign, 0;
    for (Joint& joint : mesh.skeleton) {
        if (joint.parent < 0) matrixOf(joint.local) = (turn * matrixOf(joint.local)).eval();
        matrixOf(joint.inverseBind) = (matrixOf(joint.inverseBind) * turn.transpose()).eval();
    }
}

}  // namespace

// From 0, so that no zero becomes a negative one.
Vec3f turned(const Vec3f& place, bool toZ) {
    return toZ ? Vec3f(place.x(), 0.0f - place.z(), place.y()) : Vec3f(place.x(), place.z(), 0.0f - place.y());
}

void standUpAlongY(Mesh& mesh) {
    turn(mesh, false);
}

void standUpAlongZ(Mesh& mesh) {
    turn(mesh, true);
}

Mesh placed(const Mesh& mesh, const Placement& placement, const Box3f& box) {
    Mesh result = mesh;
    if (placement.pivot != Pivot::Kept && !box.isEmpty()) {
        Vec3f origin = box.center();
        if (placement.pivot == Pivot::Ground) origin.y() = box.min().y();
        move(result, -origin);
    }
    if (placement.up == UpAxis::Z) standUpAlongZ(result);
    if (placement.metresPerUnit > 0) convertUnit(result, placement.metresPerUnit);
    return result;
}

}  // namespace um
