#pragma once
/// Keeps the outlines of a level compared with its source's: from all sides, from where the camera looks, and as a
/// picture over the viewport.
#include "app/jobs/Job.h"
#include "measure/Silhouette.h"

#include <QImage>
#include <QTimer>

namespace um::app {

class Viewport;

class OutlineWatch : public QObject {
    Q_OBJECT

public:
    explicit OutlineWatch(Viewport& viewport, QObject* parent = nullptr);

    /// @param level         null where there is nothing to compare
    /// @param heightPixels  of the source on the player's screen
    void watch(std::shared_ptr<const Mesh> source, std::shared_ptr<const Mesh> level, double heightPixels);
    void setPictureWanted(bool wanted);

    /// From all sides; null while it is not known.
    const std::shared_ptr<const Silhouette>& silhouette() const { return m_silhouette; }
    double heightPixels() const { return m_heightPixels; }
    Job& job() { return m_allSides; }
    bool isIdle() const;

signals:
    void measured();
    /// From where the camera looks, as large as the player sees it; null where there is nothing to compare.
    void seenFromHere(const std::optional<um::OutlineDifference>& difference);
    /// What was lost and what has grown in the viewport's picture; an empty one while it is not known.
    void pictureChanged(const QImage& picture);

private:
    void cameraMoved();
    void compareFromHere();
    void drawPicture();

    Viewport& m_viewport;
    /// Both made ready for looking at their outlines; they keep the meshes that they belong to.
    struct Pair {
        std::shared_ptr<const Mesh> sourceMesh, levelMesh;
        ContourMesh source{*sourceMesh}, level{*levelMesh};
        // Going over all vertices at each move would hold up the window.
        double standingHeight = um::standingHeight(*sourceMesh);
        double mostHeightPixels = um::mostHeightPixels(*sourceMesh, *levelMesh);
    };
    void preparePair();
    void compare();

    std::shared_ptr<const Mesh> m_source, m_level;
    std::shared_ptr<const Pair> m_pair;  // null while it is made ready
    double m_wantedHeight = 0, m_heightPixels = 0;
    std::shared_ptr<const Silhouette> m_silhouette;
    bool m_pictureWanted = false;
    bool m_hereWaits = false, m_pictureWaits = false;  // for the one that is running
    QTimer m_soon;
    Job m_preparing, m_allSides, m_here, m_drawing;
};

}  // namespace um::app
