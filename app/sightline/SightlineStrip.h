#pragma once
/// The strip along the bottom: the asset's silhouette at its true pixel size over viewing distance, which level of the
/// chain is drawn where and what that costs, and the viewer, who can be moved along it.
#include "app/sightline/CorridorPainter.h"
#include "draw/Coverage.h"

#include <QImage>
#include <QWidget>

class QPushButton;

namespace um::app {

class CommitField;

class SightlineStrip : public QWidget {
    Q_OBJECT

public:
    explicit SightlineStrip(QWidget* parent = nullptr);

    /// Heights in pixels at which outlines stand along the strip, largest first.
    static std::vector<double> outlineHeights();

    /// @param heightMetres  of the asset as it stands; 0 empties the strip
    void setAsset(double heightMetres, std::vector<CoverageMask> outlines);
    void setScreen(const Screen& screen);
    /// Without levels there is no band.
    void setChain(SightlineChain chain);
    const SightlineChain& chain() const { return m_chain; }
    /// The level that the viewer sees; below 0 for none.
    void setDrawn(int level);
    int drawn() const { return m_drawn; }
    void setPlaying(bool plays);
    void setViewer(double metres);
    double viewer() const { return m_viewer; }
    /// A step along the strip, as the keys do it: a twelfth of an octave of distance per step.
    void stepViewer(int steps);
    /// How tall the asset is on the screen from there.
    double pixelsAt(double metres) const;
    double nearest() const;
    double farthest() const;
    /// Where a joint's handle is: of the level that comes in there, or of the end for the number of levels.
    QPointF jointPlace(std::size_t joint) const;
    /// Opens the field in which a joint's place is typed.
    void editJoint(std::size_t joint);
    /// What would be told of a joint that is pointed at.
    QString jointText(std::size_t joint) const;

signals:
    void viewerMoved(double metres);
    /// A joint was dragged, or its place typed; 0 lets the error decide again. The end is told in pixels of height.
    void jointMoved(int level, double metres);
    void goneMoved(double pixels);
    void levelChosen(int level);
    void playWanted(bool plays);
    /// Something typed that is none.
    void problem(const QString& sentence);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    SightlineScale scale() const;
    SightlineRows rows() const;
    void moveViewer(double metres);
    int jointUnder(const QPointF& place) const;
    void dragJoint(double x);
    double snapped(double metres, int joint) const;
    void typeJoint(std::size_t joint, const QString& text);
    void sendJoint(std::size_t joint, double metres);
    void paintHeading(QPainter& painter) const;
    void paintScale(QPainter& painter) const;
    void paintOutlines(QPainter& painter);
    void paintViewer(QPainter& painter) const;
    void paintHeld(QPainter& painter) const;

    double m_assetHeight = 0;  // metres
    std::vector<CoverageMask> m_outlines;
    std::vector<QImage> m_pictures;  // of the outlines, in the theme's ink
    std::vector<QRectF> m_taken;     // where they stand
    QColor m_pictureColor;
    Screen m_screen;
    SightlineChain m_chain;
    std::optional<SightlineChain> m_before;  // what a drag began with
    int m_drawn = -1, m_held = -1;
    bool m_drags = false;
    double m_viewer = 0;  // metres
    QPushButton* m_play;
    CommitField* m_field;
};

}  // namespace um::app
