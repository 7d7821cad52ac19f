#pragma once
/// The picture of the asset. While the camera moves, coarse stand-ins are drawn, unless the driver is quick; when it
/// rests the meshes themselves are, in slices between which the window stays alive, and the finished picture takes the
/// stand-in's place.
#include "app/viewport/AsSeen.h"

#include <QElapsedTimer>
#include <QOpenGLWidget>
#include <QTimer>

namespace um::app {

class Viewport : public QOpenGLWidget, protected QOpenGLFunctions_3_3_Core {
    Q_OBJECT

public:
    explicit Viewport(QWidget* parent = nullptr);
    ~Viewport() override;

    /// Makes the OpenGL that is needed here the program's default; must come before the application object.
    static void requestOpenGl();

    /// What is compared: `other` on the left and while blinking, `shown` otherwise. They may be the same.
    void setMeshes(const Drawable& other, const Drawable& shown);
    void setLook(const Look& look);
    /// A cage around the mesh that is shown; none for an empty one.
    void setCage(const Drawable& cage);
    bool hasCage() const { return m_cage.full != nullptr; }
    const Look& look() const { return m_look; }

    /// Where the dividing line stands, as a share of the width; below 0 there is none.
    void setWipe(double share);
    double wipe() const { return m_wipe; }
    /// Both side by side, seen by one camera.
    void setTwin(bool twin);
    void setBlinking(bool showsOther);
    bool isBlinking() const { return m_blinking; }
    /// Dragging turns the light for as long.
    void setTurningLight(bool turning);
    /// Whether the light was turned since then.
    bool hasTurnedLight() const { return m_turnedLight; }
    /// Where in the widget the mesh that is shown, or the one it is compared with, has its picture.
    QRect placeOf(bool other) const;
    /// Whether it is the other mesh that lies under this place.
    bool isOtherAt(const QPointF& place) const;
    /// The line of sight through a place of the widget.
    struct Ray {
        Vec3d from, direction;
    };
    Ray rayThrough(const QPointF& place) const;

    /// Where in the widget the mesh that is shown has its picture, where in that it can be seen freely, and what lies
    /// in the lower left corner of that.
    struct Room {
        QRect pane, free, corner;
        bool operator==(const Room&) const = default;
    };
    void setRoom(const Room& room);
    /// Everything into view, where it can be seen freely. It goes along when there is more or less room, until someone
    /// comes closer or moves aside.
    void frameAll();
    /// Everything again, as after a change of the theme.
    void redraw() { changed(); }
    /// From there; everything, if everything is in view.
    void lookFrom(double yaw, double pitch);
    void lookAt(const Vec3d& place, double across);
    const Camera& camera() const { return m_camera; }

    /// The screen and distance (in the mesh's unit) of the "as seen" picture, and its size; a distance of 0 makes none.
    void setAsSeen(const AsSeen& seen);
    /// Whether the other mesh is drawn as seen, too, although it is not compared with: it is about to take over.
    void setFading(bool fading);

    /// What a picture may take while the camera moves: where the last full one took no longer, the meshes themselves
    /// are drawn then, too.
    void setMovingMilliseconds(double milliseconds) { m_movingMilliseconds = milliseconds; }

    /// Whether everything that is shown is drawn in full.
    bool isSettled() const;
    /// The longest that drawing held the window up since the last call, in milliseconds.
    double takeLongestFrame();

signals:
    void cameraChanged();
    void resized();
    /// The asset as the player sees it, true to size: what is shown, and while comparing what it is compared with.
    void asSeenChanged(const QImage& shown, const QImage& other);
    /// Someone takes the picture in hand: a button is pressed, or the wheel turned.
    void touched();
    /// A click, without dragging.
    void clicked(const QPointF& place);
    void lightTurned(const um::app::Light& light);
    void settled();
    /// There is no way to draw here; the sentence says why and what to do.
    void unusable(const QString& sentence);

protected:
    void initializeGL() override;
    void paintGL() override;
    void resizeGL(int width, int height) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    /// One mesh in one part of the picture.
    struct Pane {
        Drawable drawable;
        std::unique_ptr<GpuMesh> full, standIn;
    };
    /// One step of the full picture: surfaces or edges of a pane.
    struct Pass {
        Pane* pane;
        QRect place;  // of the eye's whole view, in device pixels
        QRect strip;  // of it that is drawn
        Ink ink;
        std::size_t done = 0;
    };

    Pane& shownPane();
    static std::optional<Camera::Part> partOf(const QRect& part, const QRectF& pane);
    Camera framedIn(const Room& room) const;
    /// Whether the driver is quick enough to do without stand-ins.
    bool movesMeshes() const { return m_fullMilliseconds <= m_movingMilliseconds; }
    bool compares() const { return (m_wipe >= 0 || m_twin) && !m_same && !m_blinking; }
    static Pane makePane(const Drawable& drawable);
    void changed();
    void warmUp();
    void workOnFullPicture();
    void beginFullPicture();
    void drawQuickly();
    void workOnAsSeen();
    void drawAsSeen(GpuMesh& mesh, std::size_t first, std::size_t count);
    void keepAsSeen();
    std::vector<Pane*> panesAsSeen();
    void drawPass(const Pass& pass, GpuMesh& mesh, std::size_t first, std::size_t count);
    GpuMesh* quickMesh(Pane& pane);
    float edgeAlpha(const Pane& pane) const;
    QSize devicePixels() const;
    std::vector<Pass> passes();
    void adaptSlices(double milliseconds);
    void noteFrame(double milliseconds);

    Renderer m_renderer;
    bool m_usable = false;
    Camera m_camera;
    Room m_room;
    std::vector<Vec3f> m_framed;  // what came into view; empty since someone has come closer or moved aside
    Look m_look;
    Pane m_other, m_shown, m_cage;
    bool m_same = true;  // both are one mesh; only m_shown is used then
    double m_wipe = -1;
    bool m_twin = false;
    bool m_fading = false;
    bool m_blinking = false;
    bool m_turningLight = false, m_turnedLight = false;

    QTimer m_rest, m_worker;
    std::unique_ptr<QOpenGLFramebufferObject> m_canvas;    // the full picture while it is made
    std::unique_ptr<QOpenGLFramebufferObject> m_finished;  // and when it is done
    std::vector<Pass> m_waiting;
    bool m_hasBackground = false;
    bool m_isFinished = false;
    std::size_t m_sliceTriangles = 100000;  // adapts to the driver
    static constexpr double unknown = std::numeric_limits<double>::infinity();
    double m_spentMilliseconds = 0;       // on the full picture that is being made
    double m_fullMilliseconds = unknown;  // that the last one took
    double m_movingMilliseconds = 16;

    AsSeen m_seen;
    AsSeenPainter m_seenPainter;
    std::vector<QImage> m_seenPictures;  // of the panes that are done
    std::size_t m_seenDone = 0;          // triangles of the next one that are drawn
    bool m_seenWaits = false;            // for a quick picture, because the viewer moves
    bool m_seenIsFull = false;           // the picture that was handed out shows the mesh itself
    QPointF m_lastPlace, m_pressed;
    bool m_hasDragged = false;
    double m_longestFrame = 0;
};

}  // namespace um::app
