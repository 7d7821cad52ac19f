#include "app/viewport/Viewport.h"

#include <algorithm>
#include <QMouseEvent>
#include <QWheelEvent>
#include <utility>

namespace um::app {
namespace {

constexpr int restMilliseconds = 160;     // after the last movement
constexpr double sliceMilliseconds = 14;  // of drawing before the window gets a turn
constexpr int clickReach = 3;             // pixels that a click may move
constexpr double radiansPerPixel = 0.008;
constexpr float veilAlpha = 0.16f;  // of a cage

// With less than this share of the picture's sides free, all of it is used.
constexpr double leastRoom = 0.3;

// Beside what lies in a corner the picture is out of the middle: only where it is so much larger than above it.
constexpr double wellLarger = 1.2;

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
    m_other = {};
    m_shown = {};
    m_cage = {};
    m_renderer.release();
    m_canvas.reset();
    m_finished.reset();
    m_seenPainter.release();
    doneCurrent();
}

void Viewport::setMeshes(const Drawable& other, const Drawable& shown) {
    const bool first = m_shown.drawable.full == nullptr && shown.full != nullptr;
    if (context() != nullptr) makeCurrent();
    m_same = other.full == shown.full;
    // What is already on the graphics card stays there.
    std::array<Pane, 2> old = {std::move(m_other), std::move(m_shown)};
    const auto take = [&](const Drawable& drawable) {
        for (Pane& pane : old) {
            if (!drawable.full || pane.drawable.full != drawable.full) continue;
            Pane taken = std::exchange(pane, Pane{});
            taken.drawable = drawable;
            taken.full->setValues(drawable.values);
            return taken;
        }
        return makePane(drawable);
    };
    m_fullMilliseconds = unknown;
    m_shown = take(shown);
    m_other = m_same ? Pane{} : take(other);
    if (context() != nullptr) doneCurrent();
    if (first) frameAll();
    changed();
}

Viewport::Pane Viewport::makePane(const Drawable& drawable) {
    Pane pane;
    pane.drawable = drawable;
    if (drawable.full) pane.full = std::make_unique<GpuMesh>(drawable.full);
    if (drawable.standIn) pane.standIn = std::make_unique<GpuMesh>(drawable.standIn);
    if (pane.full) pane.full->setValues(drawable.values);
    return pane;
}

void Viewport::setCage(const Drawable& cage) {
    if (cage.full == m_cage.drawable.full) return;
    if (context() != nullptr) makeCurrent();
    m_cage = makePane(cage);
    if (context() != nullptr) doneCurrent();
    changed();
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

void Viewport::setTwin(bool twin) {
    if (twin == m_twin) return;
    m_twin = twin;
    changed();
    emit cameraChanged();
}

void Viewport::setBlinking(bool showsOther) {
    if (showsOther == m_blinking) return;
    m_blinking = showsOther;
    changed();
}

void Viewport::setTurningLight(bool turning) {
    m_turningLight = turning;
    m_turnedLight = false;
    setCursor(turning ? Qt::CrossCursor : Qt::ArrowCursor);
}

QRect Viewport::placeOf(bool other) const {
    if (!m_twin || m_same) return rect();
    const int middle = width() / 2;
    return other ? QRect(0, 0, middle, height()) : QRect(middle, 0, width() - middle, height());
}

bool Viewport::isOtherAt(const QPointF& place) const {
    if (m_same) return false;
    if (m_twin) return placeOf(true).contains(place.toPoint());
    return m_blinking || (m_wipe >= 0 && place.x() < m_wipe * width());
}

Viewport::Ray Viewport::rayThrough(const QPointF& place) const {
    const QRect pane = placeOf(isOtherAt(place));
    const double x = 2 * (place.x() - pane.x()) / pane.width() - 1;
    const double y = 1 - 2 * (place.y() - pane.y()) / pane.height();
    return {m_camera.eye(), m_camera.directionThrough(x, y, double(pane.width()) / pane.height())};
}

void Viewport::setRoom(const Room& room) {
    if (room == m_room) return;
    const Room before = std::exchange(m_room, room);
    if (m_framed.empty()) return;
    // What was turned since then stays as large in its room as it was.
    m_camera.follow(framedIn(before), framedIn(room));
    changed();
    emit cameraChanged();
}

void Viewport::frameAll() {
    if (!m_shown.drawable.full) return;
    m_framed = m_shown.drawable.full->landmarks;
    m_camera = framedIn(m_room);
    changed();
    emit cameraChanged();
}

// A part of a pane, as the camera has it; none where too little is left.
std::optional<Camera::Part> Viewport::partOf(const QRect& part, const QRectF& pane) {
    const QRectF left = QRectF(part) & pane;
    if (left.width() < leastRoom * pane.width() || left.height() < leastRoom * pane.height()) return std::nullopt;
    const auto across = [&](double x) { return 2 * (x - pane.left()) / pane.width() - 1; };
    const auto up = [&](double y) { return 1 - 2 * (y - pane.top()) / pane.height(); };
    return Camera::Part(Eigen::Vector2d(across(left.left()), up(left.bottom())),
                        Eigen::Vector2d(across(left.right()), up(left.top())));
}

Camera Viewport::framedIn(const Room& room) const {
    const QRectF pane = room.pane.isEmpty() ? rect() : room.pane;
    const auto framed = [&](const Camera::Part& part) {
        Camera camera = m_camera;
        camera.frame(m_framed, pane.width() / pane.height(), part);
        return camera;
    };
    const auto isUnderCorner = [&](const Camera& camera) {
        return std::any_of(m_framed.begin(), m_framed.end(), [&](const Vec3f& place) {
            const auto pixel = camera.pixelOf(place.cast<double>(), pane.width(), pane.height());
            return pixel && QRectF(room.corner).contains(pane.topLeft() + QPointF(pixel->x(), pixel->y()));
        });
    };
    const Camera all = framed(partOf(room.free, pane).value_or(Camera::whole()));
    if (!isUnderCorner(all)) return all;
    QRect beside = room.free, above = room.free;
    beside.setLeft(room.corner.right());
    above.setBottom(room.corner.top());
    const auto partBeside = partOf(beside, pane), partAbove = partOf(above, pane);
    if (!partBeside && !partAbove) return all;
    if (!partBeside || !partAbove) return framed(partBeside ? *partBeside : *partAbove);
    const Camera left = framed(*partBeside), over = framed(*partAbove);
    return left.distance() * wellLarger < over.distance() ? left : over;
}

void Viewport::lookFrom(double yaw, double pitch) {
    m_camera.lookFrom(yaw, pitch);
    if (!m_framed.empty()) m_camera = framedIn(m_room);
    changed();
    emit cameraChanged();
}

void Viewport::lookAt(const Vec3d& place, double across) {
    m_camera.lookAt(place, across, partOf(m_room.free, m_room.pane).value_or(Camera::whole()));
    m_framed.clear();
    changed();
    emit cameraChanged();
}

void Viewport::setAsSeen(const AsSeen& seen) {
    if (seen == m_seen) return;
    m_seen = seen;
    m_seenDone = 0;
    m_seenPictures.clear();
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
    return m_blinking && !m_same ? m_other : m_shown;
}

QSize Viewport::devicePixels() const {
    return size() * devicePixelRatioF();
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
    const Drawable drawable = makeDrawable(mesh, Progress());
    GpuMesh triangle(drawable.full);
    triangle.upload(1000);
    const auto draw = [&] {
        m_renderer.drawBackground(theme());
        for (const Tint tint : {Tint::None, Tint::PixelLoad})
            for (const Ink::As as : {Ink::As::Surface, Ink::As::Edges, Ink::As::Veil}) {
                Look look;
                look.edges = true;
                look.tint = tint;
                m_renderer.draw(triangle, {}, look, theme(), 0, 1, {as, 0.5f}, 1);
            }
    };
    for (const int sampleCount : {0, samplesOfPictures}) {
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

void Viewport::drawPass(const Pass& pass, GpuMesh& mesh, std::size_t first, std::size_t count) {
    glEnable(GL_SCISSOR_TEST);
    glScissor(pass.strip.x(), pass.strip.y(), pass.strip.width(), pass.strip.height());
    m_renderer.setPlace(pass.place);
    Look look = m_look;
    if (pass.pane == &m_other) look.edges = m_look.otherEdges;
    const Eye eye{m_camera.view(), m_camera.projection(double(pass.place.width()) / std::max(1, pass.place.height()))};
    m_renderer.draw(mesh, eye, look, theme(), first, count, pass.ink, pass.pane->full->triangleCount());
    glDisable(GL_SCISSOR_TEST);
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
    const auto add = [&](Pane& pane, const QRect& place, const QRect& strip) {
        if (!pane.full || strip.width() <= 0) return;
        result.push_back({&pane, place, strip, {}});
        const bool hasEdges = &pane == &m_other ? m_look.otherEdges : m_look.edges;
        const float alpha = hasEdges ? edgeAlpha(pane) : 0;
        if (alpha > 0) result.push_back({&pane, place, strip, {Ink::As::Edges, alpha}});
        if (&pane != &m_shown || !m_cage.full) return;
        result.push_back({&m_cage, place, strip, {Ink::As::Veil, veilAlpha, true}});
        if (const float faint = edgeAlpha(m_cage) / 2; faint > 0)
            result.push_back({&m_cage, place, strip, {Ink::As::Edges, faint, true}});
    };
    const QRect all(QPoint(0, 0), devicePixels());
    if (!compares()) {
        add(shownPane(), all, all);
        return result;
    }
    const auto split = [&](int line) {
        return std::pair(QRect(0, 0, line, all.height()), QRect(line, 0, all.width() - line, all.height()));
    };
    const auto [left, right] = split(int(std::lround((m_twin ? 0.5 : m_wipe) * all.width())));
    add(m_other, m_twin ? left : all, left);
    add(m_shown, m_twin ? right : all, right);
    return result;
}

GpuMesh* Viewport::quickMesh(Pane& pane) {
    if (movesMeshes() && pane.full && pane.full->isComplete()) return pane.full.get();
    GpuMesh* mesh = pane.standIn ? pane.standIn.get() : pane.full.get();
    // Stand-ins are small; a mesh without one is smaller still.
    if (mesh != nullptr) mesh->upload(1000);
    return mesh;
}

void Viewport::drawQuickly() {
    const QSize pixels = devicePixels();
    m_renderer.setPlace(QRect(QPoint(0, 0), pixels));
    m_renderer.drawBackground(theme());
    for (const Pass& pass : passes()) {
        GpuMesh* mesh = quickMesh(*pass.pane);
        if (mesh == nullptr) continue;
        // A stand-in's own edges say nothing about the mesh's.
        if (pass.ink.as == Ink::As::Edges && mesh == pass.pane->standIn.get()) continue;
        drawPass(pass, *mesh, 0, mesh->triangleCount());
    }
}

void Viewport::beginFullPicture() {
    if (!m_usable || !m_shown.full) return;
    if (!m_isFinished) {
        m_waiting = passes();
        m_hasBackground = false;
        m_spentMilliseconds = 0;
    }
    m_seenDone = 0;
    m_seenPictures.clear();
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
        m_canvas = makeCanvas(pixels, samplesOfPictures);
        m_finished = makeCanvas(pixels, 0);
    }
    m_canvas->bind();
    m_renderer.setPlace(QRect(QPoint(0, 0), pixels));
    if (!std::exchange(m_hasBackground, true)) m_renderer.drawBackground(theme());
    while (!m_waiting.empty() && double(clock.nsecsElapsed()) / 1e6 < sliceMilliseconds) {
        Pass& pass = m_waiting.front();
        GpuMesh& mesh = *pass.pane->full;
        const std::size_t count = std::min(m_sliceTriangles, mesh.triangleCount() - pass.done);
        const qint64 before = clock.nsecsElapsed();
        drawPass(pass, mesh, pass.done, count);
        m_renderer.finish();
        const double spent = double(clock.nsecsElapsed() - before) / 1e6;
        m_spentMilliseconds += spent;
        if (count == m_sliceTriangles) adaptSlices(spent);
        pass.done += count;
        if (pass.done == mesh.triangleCount()) m_waiting.erase(m_waiting.begin());
    }
    m_canvas->release();
    const bool done = m_waiting.empty();
    if (done) {
        QOpenGLFramebufferObject::blitFramebuffer(m_finished.get(), m_canvas.get());
        m_isFinished = true;
        m_fullMilliseconds = m_spentMilliseconds;
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
        m_seenPictures.clear();
        for (Pane* pane : panesAsSeen()) {
            GpuMesh* mesh = quickMesh(*pane);
            drawAsSeen(*mesh, 0, mesh->triangleCount());
            keepAsSeen();
        }
        m_seenDone = 0;
        m_seenPictures.clear();
    }
    m_renderer.finish();
    const double spent = double(clock.nsecsElapsed()) / 1e6;
    // Seen from here it is dearer than it was.
    if (!m_isFinished && spent > 2 * m_movingMilliseconds) m_fullMilliseconds = unknown;
    noteFrame(spent);
    if (isSettled()) emit settled();
}

void Viewport::adaptSlices(double milliseconds) {
    if (milliseconds > sliceMilliseconds / 2) m_sliceTriangles = std::max<std::size_t>(2000, m_sliceTriangles / 2);
    if (milliseconds < sliceMilliseconds / 8) m_sliceTriangles = std::min<std::size_t>(4000000, m_sliceTriangles * 2);
}

// What is shown first; the other one follows while both are compared.
std::vector<Viewport::Pane*> Viewport::panesAsSeen() {
    if (!m_seen.isPossible() || !shownPane().full) return {};
    if ((compares() || (m_fading && !m_same && !m_blinking)) && m_other.full) return {&m_shown, &m_other};
    return {&shownPane()};
}

void Viewport::setFading(bool fading) {
    if (fading == m_fading) return;
    m_fading = fading;
    m_seenPictures.clear();
    m_seenDone = 0;
    m_seenIsFull = false;
    m_seenWaits = true;
    update();
}

// The full picture is done: the asset as seen follows in slices too, from the meshes themselves.
void Viewport::workOnAsSeen() {
    const std::vector<Pane*> panes = panesAsSeen();
    if (m_seenIsFull || m_seenPictures.size() >= panes.size()) {
        m_worker.stop();
        m_seenIsFull = true;
        m_seenWaits = false;
        update();
        return;
    }
    QElapsedTimer clock;
    clock.start();
    makeCurrent();
    GpuMesh& mesh = *panes[m_seenPictures.size()]->full;
    if (mesh.upload(int(sliceMilliseconds))) {
        const std::size_t count = std::min(m_sliceTriangles, mesh.triangleCount() - m_seenDone);
        drawAsSeen(mesh, m_seenDone, count);
        m_renderer.finish();
        m_seenDone += count;
        if (m_seenDone == mesh.triangleCount()) {
            keepAsSeen();
            m_seenDone = 0;
        }
    }
    doneCurrent();
    noteFrame(double(clock.elapsed()));
}

void Viewport::drawAsSeen(GpuMesh& mesh, std::size_t first, std::size_t count) {
    Look look = m_look;
    look.edges = false;
    m_seenPainter.draw(m_renderer, mesh, m_seen, m_camera, m_shown.drawable.full->box, look, first, count);
    glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
}

void Viewport::keepAsSeen() {
    m_seenPictures.push_back(m_seenPainter.picture());
    glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
    if (m_seenPictures.size() == panesAsSeen().size())
        emit asSeenChanged(m_seenPictures.front(), m_seenPictures.size() > 1 ? m_seenPictures.back() : QImage());
}

void Viewport::mousePressEvent(QMouseEvent* event) {
    m_lastPlace = m_pressed = event->position();
    m_hasDragged = false;
    emit touched();
}

void Viewport::mouseMoveEvent(QMouseEvent* event) {
    const QPointF moved = event->position() - m_lastPlace;
    const bool left = (event->buttons() & Qt::LeftButton) != 0;
    if (!left && (event->buttons() & Qt::MiddleButton) == 0) return;
    // A hand that clicks shakes a little.
    if (!m_hasDragged && (event->position() - m_pressed).manhattanLength() <= clickReach) return;
    m_hasDragged = true;
    m_lastPlace = event->position();
    if (left && m_turningLight) {
        m_turnedLight = true;
        Light light = m_look.light;
        light.yaw = std::clamp(light.yaw + moved.x() * radiansPerPixel, -pi / 2, pi / 2);
        light.pitch = std::clamp(light.pitch - moved.y() * radiansPerPixel, -1.5, 1.5);
        emit lightTurned(light);
        return;
    }
    if (!left || (event->modifiers() & Qt::ShiftModifier) != 0) {
        m_camera.pan(moved.x(), moved.y(), height());
        m_framed.clear();
    } else
        m_camera.orbit(-moved.x() * radiansPerPixel, moved.y() * radiansPerPixel);
    changed();
    emit cameraChanged();
}

void Viewport::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && !m_hasDragged && !m_turningLight) emit clicked(event->position());
}

void Viewport::wheelEvent(QWheelEvent* event) {
    emit touched();
    const double notches = event->angleDelta().y() / 120.0;
    const QRect pane = placeOf(isOtherAt(event->position()));
    const double x = 2 * (event->position().x() - pane.x()) / pane.width() - 1;
    const double y = 1 - 2 * (event->position().y() - pane.y()) / pane.height();
    m_camera.zoom(std::pow(0.86, notches), x, y, double(pane.width()) / std::max(1, pane.height()));
    m_framed.clear();
    changed();
    emit cameraChanged();
    event->accept();
}

}  // namespace um::app
