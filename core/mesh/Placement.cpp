#include "mesh/Placement.h"

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

// A quarter turn about x: what stood along y stands along z.
void standUpAlongZ(Mesh& mesh) {
    const auto turned = [](const Vec3f& v) { return Vec3f(v.x(), -v.z(), v.y()); };
    for (Vec3f& p : mesh.positions) p = turned(p);
    for (Vec3f& n : mesh.normals) n = turned(n);
    for (Morph& morph : mesh.morphs)
        for (Vec3f& offset : morph.offsets) offset = turned(offset);
    Matrix turn = Matrix::Identity();
    turn.block<3, 3>(0, 0) << 1, 0, 0, 0, 0, -1, 0, 1, 0;
    for (Joint& joint : mesh.skeleton) {
        if (joint.parent < 0) matrixOf(joint.local) = (turn * matrixOf(joint.local)).eval();
        matrixOf(joint.inverseBind) = (matrixOf(joint.inverseBind) * turn.transpose()).eval();
    }
}

}  // namespace

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
