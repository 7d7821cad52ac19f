#pragma once
/// The middle of the desk: the viewport with everything that lies over it.
#include "app/viewport/Overlays.h"
#include "app/viewport/Viewport.h"

#include <QWidget>

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

    /// The quiet lines: what is shown, and how far it is off.
    void setLines(const QString& name, const QString& facts, const QString& second);
    /// How far the outline is off from here.
    void setOutlineLine(const QString& text);
    /// A ring around that place; none without one.
    void setMark(const std::optional<Vec3d>& place);
    OutlineLayer& outlineLayer() { return *m_outlineLayer; }
    void setTolerance(double metres, double metresPerUnit);
    void setChosenPart(int part);
    /// Whether there is anything to look at, whether it has deviations to colour, and whether there is a pair to wipe
    /// between.
    void setPossible(bool anything, bool deviation, bool wipe);
    void setViewer(const Screen& screen, double metres, double metresPerUnit, double pixelsTall);
    void setShownName(const QString& name);
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
    void toggleLit();

signals:
    /// Whether the difference of the outlines is to be shown.
    void outlineWanted(bool wanted);

protected:
    void resizeEvent(QResizeEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void applyLook();
    void arrange();
    void placeMark();

    Viewport* m_viewport;
    QWidget* m_linesBack;
    QLabel *m_name, *m_facts, *m_second, *m_third, *m_sourceTag, *m_levelTag;
    QPushButton *m_lit, *m_clay, *m_deviation, *m_outline, *m_edges, *m_wipe, *m_frame;
    QWidget* m_chips;
    OutlineLayer* m_outlineLayer;
    WipeLine* m_line;
    DeviationScale* m_scale;
    AsSeenInset* m_inset;
    QWidget* m_welcome = nullptr;
    std::vector<QWidget*> m_cards;
    PlaceMark* m_mark;
    std::optional<Vec3d> m_marked;
    double m_wipeShare = 0.5;
    bool m_canWipe = false;
    bool m_canDeviate = false;
    bool m_hasAnything = false;
    float m_tolerance = 0;
    int m_part = -1;
};

}  // namespace um::app
