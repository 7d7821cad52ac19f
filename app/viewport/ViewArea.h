#pragma once
/// The middle of the desk: the viewport with everything that lies over it.
#include "app/viewport/Overlays.h"
#include "app/viewport/Viewport.h"

#include <QWidget>

class QFrame;
class QLabel;
class QPushButton;

namespace um::app {

class OutlineLayer;

class ViewArea : public QWidget {
    Q_OBJECT

public:
    explicit ViewArea(QWidget* parent = nullptr);

    Viewport& viewport() { return *m_viewport; }
    AsSeenInset& inset() { return *m_inset; }
    /// Of what is compared, while both are seen side by side.
    AsSeenInset& otherInset() { return *m_otherInset; }

    /// The quiet lines: what is shown, and how far it is off.
    void setLines(const QString& name, const QString& facts, const QString& second);
    /// How far the outline is off from here.
    void setOutlineLine(const QString& text);
    /// A ring around that place; none without one.
    void setMark(const std::optional<Vec3d>& place);
    /// What was found at a place of the shown mesh, or of the one it is compared with.
    struct Finding {
        Vec3d place = Vec3d::Zero(), closest = Vec3d::Zero();
        bool isOnOther = false;
        QString text;
    };
    void setFinding(const std::optional<Finding>& finding);
    /// A side of a chart on the mesh that is shown, and which way its triangle faces.
    struct ChartSide {
        Vec3d from = Vec3d::Zero(), to = Vec3d::Zero(), normal = Vec3d::Zero();
    };
    /// The rim of a chart that stands out; none for empty.
    void setChart(std::vector<ChartSide> rim);
    /// A brush over the picture, so large in pixels; none without a place.
    void setBrush(const std::optional<QPointF>& place, double radius);
    /// What lit leaves out of materials (LookPart), and whether the UVs' squares are shown.
    /// @param misses  painted on the mesh that they are of; null for none
    void setMaterialLook(unsigned without, bool checker, const std::shared_ptr<const MissPictures>& misses);
    const MarkLayer& marks() const { return *m_marks; }
    OutlineLayer& outlineLayer() { return *m_outlineLayer; }
    TintKey& tintKey() { return *m_key; }
    void setTolerance(double metres, double metresPerUnit);
    void setChosenPart(int part);
    /// What the pictures can show of the mesh.
    struct Possible {
        bool anything = false;   ///< a mesh at all
        bool deviation = false;  ///< it was measured
        bool texels = false;     ///< it has textures
        bool outline = false;    ///< it is a level, whose outline can be held against the source's
        bool others = false;     ///< there is something to choose to compare it with
        bool pair = false;       ///< something is chosen
    };
    void setPossible(const Possible& possible);
    /// @param seen  the asset from its widest side, in pixels of that screen
    void setViewer(const Screen& screen, double metres, double metresPerUnit, const QSizeF& seen);
    /// How far the level that is compared next has come in where the player stands, 0 to 1, dithered.
    void setFade(double share);
    /// Whether nothing is drawn any more where the player stands.
    void setGone(bool gone) { m_inset->setGone(gone); }
    /// Whether both are seen at once.
    bool compares() const;
    /// What is shown, what it could be compared with, and which of them it is.
    void setNames(const QString& shown, const QStringList& others, int other);
    /// While it is held, dragging turns the light; held for nothing, the light goes back to where it was at first.
    void holdLight(bool held);
    Tint tint() const { return m_viewport->look().tint; }
    /// What is in the middle while there is nothing to look at.
    void setWelcome(QWidget* welcome);
    /// A card over the picture, under the chips.
    void addCard(QWidget* card);

    QPushButton* chip(const QString& name) const;

public slots:
    void toggleDeviation();
    void toggleOutline();
    void toggleEdges();
    void toggleWipe();
    void toggleTwin();
    void togglePixelLoad();
    void toggleTexels();
    void toggleLit();
    void toggleSheet();

signals:
    /// Whether the sheet is to be seen beside the picture.
    void sheetWanted(bool wanted);
    /// Whether the difference of the outlines is to be shown.
    void outlineWanted(bool wanted);
    void tintChanged(um::app::Tint tint);
    /// To be compared with another one of the names.
    void otherChosen(int other);

protected:
    void resizeEvent(QResizeEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makeChips();
    void applyLook();
    void arrange();
    QRect arrangeLines(int most);
    void placeMarks();
    void openCompareMenu();
    std::optional<QPointF> pixelOf(const Vec3d& place, bool isOnOther) const;

    Viewport* m_viewport;
    QWidget* m_linesBack;
    QLabel *m_name, *m_facts, *m_second, *m_third, *m_otherTag, *m_levelTag;
    QPushButton *m_lit, *m_clay, *m_deviation, *m_load, *m_texels;
    QPushButton *m_outline, *m_edges, *m_wipe, *m_twin, *m_against, *m_frame, *m_sheet;
    QWidget *m_looks, *m_compare;
    OutlineLayer* m_outlineLayer;
    WipeLine* m_line;
    QFrame* m_twinLine;
    TintKey* m_key;
    AsSeenInset *m_inset, *m_otherInset;
    QWidget* m_welcome = nullptr;
    std::vector<QWidget*> m_cards;
    MarkLayer* m_marks;
    std::optional<Vec3d> m_marked;
    std::optional<Finding> m_finding;
    std::vector<ChartSide> m_chart;
    QStringList m_others;
    int m_other = 0;
    double m_wipeShare = 0.5;
    Possible m_possible;
    double m_toleranceMetres = 0;
    double m_fade = 0;
    Look m_look;  // but for what the chips say
    bool m_edgesHere = true, m_edgesThere = true;
};

}  // namespace um::app
