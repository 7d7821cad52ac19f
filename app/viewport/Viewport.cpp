#include "app/viewport/Viewport.h"

#include <QMouseEvent>
#include <QWheelEvent>

namespace um::app {
namespace {

constexpr int restMilliseconds = 160;     // after the last movement
constexpr double sliceMilliseconds = 14;  // of drawing before the window gets a turn
constexpr int samples = 4;                // of the finished picture

// The finished picture may be as large as the widget; anti-aliasing in it makes up for the stand-in's roughness.
std::unique_ptr<QOpenGLFramebufferObject> makeCanvas(const QSize& size, int sampleCount) {
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(sampleCount);
    return std::make_unique<QOpenGLFramebufferObject>(size, format);
}

}  // namespace

Viewport::Viewport(QWidget* parent) : QOpenGLWidget(parent) {
    setMinimumSize(320, 240);
    setFocusPolicy(Qt::ClickFocus);
    m_rest.setSingleShot(true);
    m_rest.setInterval(restMilliseconds);
    connect(&m_rest, &QTimer::timeout, this, &Viewport::beginFullPicture);
    m_worker.setInterval(0);
    connect(&m_worker, &QTimer::timeout, this, &Viewport::workOnFullPicture);
}

void Viewport::requestOpenGl() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
}

Viewport::~Viewport() {
    makeCurrent();
    m_source = {};
    m_shown = {};
    m_canvas.reset();
    m_finished.reset();
    m_seenCanvas.reset();
    doneCurrent();
}

void Viewport::setMeshes(const Drawable& source, const Drawable& shown) {
    const bool first = m_shown.drawable.full == nullptr && shown.full != nullptr;
    if (context() != nullptr) makeCurrent();
    m_same = source.full == shown.full;
    // Handing a mesh on keeps what is already on the graphics card.
    if (m_source.drawable.full == shown.full && m_source.drawable.full != nullptr && !m_same)
        std::swap(m_source, m_shown);
    if (m_same && m_source.drawable.full == shown.full) std::swap(m_source, m_shown);
    setDrawable(m_shown, shown);
    setDrawable(m_source, m_same ? Drawable{} : source);
    if (context() != nullptr) doneCurrent();
    if (first) frameAll();
    changed();
}

void Viewport::setDrawable(Pane& pane, const Drawable& drawable) {
    if (pane.drawable.full == drawable.full) return;
    pane = {};
    pane.drawable = drawable;
    if (drawable.full) pane.full = std::make_unique<GpuMesh>(drawable.full);
    if (drawable.standIn) pane.standIn = std::make_unique<GpuMesh>(drawable.standIn);
}

void Viewport::setLook(const Look& look) {
    if (look == m_look) return;
    m_look = look;
    changed();
}

void Viewport::setWipe(double share) {
    if (share == m_wipe) return;
    m_wipe = share;
    changed();
}

void Viewport::setBlinking(bool showsSource) {
    if (showsSource == m_blinking) return;
    m_blinking = showsSource;
    changed();
}

void Viewport::frameAll() {
    if (!m_shown.drawable.full) return;
    m_camera.frame(m_shown.drawable.full->box, double(width()) / std::max(1, height()));
    changed();
    emit cameraChanged();
}

void Viewport::lookFrom(double yaw, double pitch) {
    m_camera.lookFrom(yaw, pitch);
    changed();
    emit cameraChanged();
}

void Viewport::lookAt(const Vec3d& place, double across) {
    m_camera.lookAt(place, across);
    changed();
    emit cameraChanged();
}

void Viewport::setAsSeen(const Screen& screen, double distance, int pixels) {
    if (screen == m_screen && distance == m_seenDistance && pixels == m_seenPixels) return;
    m_screen = screen;
    m_seenDistance = distance;
    m_seenPixels = pixels;
    m_seenWaits = true;
    m_seenIsFull = false;
    m_rest.start();
    update();
}

bool Viewport::isSettled() const {
    return m_isFinished && m_seenIsFull;
}

double Viewport::takeLongestFrame() {
    return std::exchange(m_longestFrame, 0.0);
}

void Viewport::noteFrame(double milliseconds) {
    m_longestFrame = std::max(m_longestFrame, milliseconds);
}

// Something looks different now: the stand-ins at once, the full picture when nothing has changed for a moment.
void Viewport::changed() {
    m_isFinished = false;
    m_seenIsFull = false;
    m_waiting.clear();
    m_worker.stop();
    m_rest.start();
    update();
}

Viewport::Pane& Viewport::shownPane() {
    return m_blinking && !m_same ? m_source : m_shown;
}

QSize Viewport::devicePixels() const {
    return size() * devicePixelRatioF();
}

Eye Viewport::eye() const {
    return {m_camera.view(), m_camera.projection(double(width()) / std::max(1, height()))};
}

void Viewport::initializeGL() {
    initializeOpenGLFunctions();
    const QString problem = m_renderer.initialise();
    m_usable = problem.isEmpty();
    if (!m_usable) {
        emit unusable(problem);
        return;
    }
    warmUp();
}

// Drivers compile for each kind of picture when it is first drawn. That is done with one triangle now, rather than
// while a mesh comes up.
void Viewport::warmUp() {
    auto mesh = std::make_shared<Mesh>();
    mesh->positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    mesh->triangles = {{0, 1, 2}};
    ensureSections(*mesh, {});
    const Drawable drawable = makeDrawable(mesh, nullptr, Progress());
    GpuMesh triangle(drawable.full);
    triangle.upload(1000);
    const auto draw = [&] {
        m_renderer.drawBackground(theme());
        for (const float alpha : {0.0f, 0.5f}) {
            Look look;
            look.edges = true;
            m_renderer.draw(triangle, {}, look, theme(), 0, 1, alpha);
        }
    };
    for (const int sampleCount : {0, samples}) {
        const auto canvas = makeCanvas({64, 64}, sampleCount);
        canvas->bind();
        draw();
        canvas->release();
    }
    glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
    draw();
    m_renderer.finish();
}

void Viewport::resizeGL(int, int) {
    changed();
    emit resized();
}

void Viewport::clip(int left, int width) {
    glEnable(GL_SCISSOR_TEST);
    glScissor(left, 0, width, devicePixels().height());
}

// Where edges are closer than a few pixels they would only blacken the picture: they get fainter, and are left out in
// the end.
float Viewport::edgeAlpha(const Pane& pane) const {
    const double across = m_camera.distance() * std::tan(Camera::fieldOfViewDegrees * pi / 360) * 2;
    const double pixelsTall = double(pane.drawable.full->box.sizes().norm()) / across * height();
    const double edgePixels = pixelsTall / std::sqrt(double(pane.drawable.full->mesh->triangleCount()) / 2);
    return float(std::clamp((edgePixels - 1.5) / 12, 0.0, 0.6));
}

std::vector<Viewport::Pass> Viewport::passes() {
    std::vector<Pass> result;
    const auto add = [&](Pane& pane, int left, int paneWidth) {
        if (!pane.full || paneWidth <= 0) return;
        result.push_back({&pane, left, paneWidth, 0});
        const float alpha = m_look.edges ? edgeAlpha(pane) : 0;
        if (alpha > 0) result.push_back({&pane, left, paneWidth, alpha});
    };
    const int all = devicePixels().width();
    if (m_wipe < 0 || m_same || m_blinking) {
        add(shownPane(), 0, all);
    } else {
        const int line = int(std::lround(m_wipe * all));
        add(m_source, 0, line);
        add(m_shown, line, all - line);
    }
    return result;
}

GpuMesh* Viewport::quickMesh(Pane& pane) {
    GpuMesh* mesh = pane.standIn ? pane.standIn.get() : pane.full.get();
    // Stand-ins are small; a mesh without one is smaller still.
    if (mesh != nullptr) mesh->upload(1000);
    return mesh;
}

void Viewport::drawQuickly() {
    const QSize pixels = devicePixels();
    glViewport(0, 0, pixels.width(), pixels.height());
    m_renderer.drawBackground(theme());
    for (const Pass& pass : passes()) {
        GpuMesh* mesh = quickMesh(*pass.pane);
        if (mesh == nullptr) continue;
        // A stand-in's own edges say nothing about the mesh's.
        if (pass.edgeAlpha > 0 && mesh == pass.pane->standIn.get()) continue;
        clip(pass.left, pass.width);
        m_renderer.draw(*mesh, eye(), m_look, theme(), 0, mesh->triangleCount(), pass.edgeAlpha);
    }
    glDisable(GL_SCISSOR_TEST);
}

void Viewport::beginFullPicture() {
    if (!m_usable || !m_shown.full) return;
    if (!m_isFinished) {
        m_waiting = passes();
        m_hasBackground = false;
    }
    m_seenDone = 0;
    m_worker.start();
}

// A slice of the full picture: uploading what is missing, then drawing as many triangles as fit in a moment.
void Viewport::workOnFullPicture() {
    if (m_isFinished) {
        workOnAsSeen();
        return;
    }
    QElapsedTimer clock;
    clock.start();
    makeCurrent();
    for (const Pass& pass : m_waiting)
        if (!pass.pane->full->upload(int(sliceMilliseconds))) {
            doneCurrent();
            noteFrame(double(clock.elapsed()));
            return;
        }
    const QSize pixels = devicePixels();
    if (!m_canvas || m_canvas->size() != pixels) {
        m_canvas = makeCanvas(pixels, samples);
        m_finished = makeCanvas(pixels, 0);
    }
    m_canvas->bind();
    glViewport(0, 0, pixels.width(), pixels.height());
    if (!std::exchange(m_hasBackground, true)) m_renderer.drawBackground(theme());
    while (!m_waiting.empty() && double(clock.nsecsElapsed()) / 1e6 < sliceMilliseconds) {
        Pass& pass = m_waiting.front();
        GpuMesh& mesh = *pass.pane->full;
        const std::size_t count = std::min(m_sliceTriangles, mesh.triangleCount() - pass.done);
        const qint64 before = clock.nsecsElapsed();
        clip(pass.left, pass.width);
        m_renderer.draw(mesh, eye(), m_look, theme(), pass.done, count, pass.edgeAlpha);
        m_renderer.finish();
        if (count == m_sliceTriangles) adaptSlices(double(clock.nsecsElapsed() - before) / 1e6);
        pass.done += count;
        if (pass.done == mesh.triangleCount()) m_waiting.erase(m_waiting.begin());
    }
    glDisable(GL_SCISSOR_TEST);
    m_canvas->release();
    const bool done = m_waiting.empty();
    if (done) {
        QOpenGLFramebufferObject::blitFramebuffer(m_finished.get(), m_canvas.get());
        m_isFinished = true;
    }
    doneCurrent();
    noteFrame(double(clock.elapsed()));
    if (done) update();
}

void Viewport::paintGL() {
    if (!m_usable) return;
    QElapsedTimer clock;
    clock.start();
    if (m_isFinished) {
        const QRect all(QPoint(0, 0), devicePixels());
        glBindFramebuffer(GL_READ_FRAMEBUFFER, m_finished->handle());
        glBindFramebuffer(GL_DRAW_FRAMEBUFFER, defaultFramebufferObject());
        glBlitFramebuffer(0, 0, all.width(), all.height(), 0, 0, all.width(), all.height(), GL_COLOR_BUFFER_BIT,
                          GL_NEAREST);
        glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
    } else {
        drawQuickly();
    }
    // The viewer moves: a quick picture, until it rests.
    if (m_seenWaits && m_isFinished && m_shown.full) {
        m_seenWaits = false;
        GpuMesh* mesh = quickMesh(shownPane());
        drawAsSeen(*mesh, 0, mesh->triangleCount());
        showAsSeen();
    }
    m_renderer.finish();
    noteFrame(double(clock.nsecsElapsed()) / 1e6);
    if (isSettled()) emit settled();
}

void Viewport::adaptSlices(double milliseconds) {
    if (milliseconds > sliceMilliseconds / 2) m_sliceTriangles = std::max<std::size_t>(2000, m_sliceTriangles / 2);
    if (milliseconds < sliceMilliseconds / 8) m_sliceTriangles = std::min<std::size_t>(4000000, m_sliceTriangles * 2);
}

// The full picture is done: the asset as seen follows in slices too, from the mesh itself.
void Viewport::workOnAsSeen() {
    GpuMesh* mesh = shownPane().full.get();
    if (m_seenIsFull || m_seenDistance <= 0 || m_seenPixels <= 0 || mesh == nullptr) {
        m_worker.stop();
        m_seenIsFull = true;
        update();
        return;
    }
    QElapsedTimer clock;
    clock.start();
    makeCurrent();
    if (mesh->upload(int(sliceMilliseconds))) {
        const std::size_t count = std::min(m_sliceTriangles, mesh->triangleCount() - m_seenDone);
        drawAsSeen(*mesh, m_seenDone, count);
        m_renderer.finish();
        m_seenDone += count;
        if (m_seenDone == mesh->triangleCount()) {
            showAsSeen();
            m_seenIsFull = true;
            m_seenWaits = false;
        }
    }
    doneCurrent();
    noteFrame(double(clock.elapsed()));
}

// The asset as it stands on the player's screen: the same direction, the true distance, one picture pixel to a screen
// pixel.
void Viewport::drawAsSeen(GpuMesh& mesh, std::size_t first, std::size_t count) {
    const QSize size(m_seenPixels, m_seenPixels);
    if (!m_seenCanvas || m_seenCanvas->size() != size) m_seenCanvas = makeCanvas(size, samples);
    m_seenCanvas->bind();
    glViewport(0, 0, size.width(), size.height());
    if (first == 0) m_renderer.drawBackground(theme());
    const Box3f& box = shownPane().drawable.full->box;
    const double radius = 0.5 * double(box.sizes().norm());
    const double halfTangent = std::tan(m_screen.fieldOfViewDegrees * pi / 360) * m_seenPixels / m_screen.heightPixels;
    Eye seen;
    const Eigen::Matrix3d turn = m_camera.turn();
    const Vec3d centre = box.center().cast<double>();
    seen.view.topLeftCorner<3, 3>() = turn.cast<float>();
    seen.view.topRightCorner<3, 1>() = (-(turn * centre) - Vec3d(0, 0, m_seenDistance)).cast<float>();
    seen.projection = Camera::projectionOf(halfTangent, 1, std::max(m_seenDistance - 2 * radius, m_seenDistance * 1e-3),
                                           m_seenDistance + 2 * radius);
    Look look = m_look;
    look.deviation = look.edges = false;
    look.part = -1;
    m_renderer.draw(mesh, seen, look, theme(), first, count, 0);
    m_seenCanvas->release();
    glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
}

void Viewport::showAsSeen() {
    const QImage picture = m_seenCanvas->toImage();
    glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
    emit asSeenChanged(picture);
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    m_lastPlace = event->position();
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPointF moved = event->position() - m_lastPlace;
    m_lastPlace = event->position();
    const bool pans = (event->buttons() & Qt::MiddleButton) != 0 ||
                      ((event->buttons() & Qt::LeftButton) != 0 && (event->modifiers() & Qt::ShiftModifier) != 0);
    constexpr double radiansPerPixel = 0.008;
    if (pans)
        m_camera.pan(moved.x(), moved.y(), height());
    else if ((event->buttons() & Qt::LeftButton) != 0)
        m_camera.orbit(-moved.x() * radiansPerPixel, moved.y() * radiansPerPixel);
    else
        return;
    changed();
    emit cameraChanged();
}

void Viewport::wheelEvent(QWheelEvent* event) {
    const double notches = event->angleDelta().y() / 120.0;
    const double x = 2 * event->position().x() / width() - 1;
    const double y = 1 - 2 * event->position().y() / height();
    m_camera.zoom(std::pow(0.86, notches), x, y, double(width()) / std::max(1, height()));
    changed();
    emit cameraChanged();
    event->accept();
}

}  // namespace um::app
