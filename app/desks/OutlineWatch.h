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

    /// A source made ready for looking at its outlines, of which a compared level is after another.
    struct Source {
        std::shared_ptr<const Mesh> mesh;
        ContourMesh contour{*mesh};
        // Going over all vertices at each move would hold up the window.
        double standingHeight = um::standingHeight(*mesh);
    };
    struct Pair {
        std::shared_ptr<const Source> source;
        std::shared_ptr<const Mesh> levelMesh;
        ContourMesh level{*levelMesh};
        double mostHeightPixels = um::mostHeightPixels(*source->mesh, *levelMesh);
    };
    /// What the source covers from all sides: the next level is compared with it in a quarter of the time.
    struct AllSides {
        std::shared_ptr<const Source> source;
        SourceOutlines outlines;
    };
    static Silhouette measureAllSides(const Pair& pair, double heightPixels, std::shared_ptr<const AllSides>& known,
                                      const Progress& progress);
    void preparePair();
    void compare();

    Viewport& m_viewport;
    std::shared_ptr<const Mesh> m_source, m_level;
    std::shared_ptr<const Source> m_ready;    // the source, once it has been made ready
    std::shared_ptr<const Pair> m_pair;       // null while it is made ready
    std::shared_ptr<const AllSides> m_known;  // of the source at the last height, or null
    double m_wantedHeight = 0, m_heightPixels = 0;
    std::shared_ptr<const Silhouette> m_silhouette;
    bool m_pictureWanted = false;
    bool m_hereWaits = false, m_pictureWaits = false;  // for the one that is running
    QTimer m_soon;
    Job m_preparing, m_allSides, m_here, m_drawing;
};

}  // namespace um::app
