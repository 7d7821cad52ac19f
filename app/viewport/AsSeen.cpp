#include "app/viewport/AsSeen.h"

#include <cmath>

namespace um::app {

std::unique_ptr<QOpenGLFramebufferObject> makeCanvas(const QSize& size, int sampleCount) {
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(sampleCount);
    return std::make_unique<QOpenGLFramebufferObject>(size, format);
}

void AsSeenPainter::draw(Renderer& renderer, GpuMesh& mesh, const AsSeen& seen, const Camera& camera, const Box3f& box,
                         Look look, std::size_t first, std::size_t count) {
    if (!m_canvas || m_canvas->size() != seen.size) m_canvas = makeCanvas(seen.size, samplesOfPictures);
    m_canvas->bind();
    renderer.setPlace(QRect(QPoint(0, 0), seen.size));
    if (first == 0) renderer.drawBackground(theme());
    const double radius = 0.5 * double(box.sizes().norm());
    const double halfTangent =
        std::tan(seen.screen.fieldOfViewDegrees * pi / 360) * seen.size.height() / seen.screen.heightPixels;
    const double aspect = double(seen.size.width()) / seen.size.height();
    Eye eye;
    const Eigen::Matrix3d turn = camera.turn();
    const Vec3d centre = box.center().cast<double>();
    eye.view.topLeftCorner<3, 3>() = turn.cast<float>();
    eye.view.topRightCorner<3, 1>() = (-(turn * centre) - Vec3d(0, 0, seen.distance)).cast<float>();
    eye.projection = Camera::projectionOf(
        halfTangent, aspect, std::max(seen.distance - 2 * radius, seen.distance * 1e-3), seen.distance + 2 * radius);
    look.tint = Tint::None;
    look.part = -1;
    renderer.draw(mesh, eye, look, theme(), first, count, {}, mesh.triangleCount());
    m_canvas->release();
}

}  // namespace um::app
