#pragma once
/// The Sheet, in the right panel's place: a mesh's textures seen flat, what came of its bake, and how it is baked.
#include "app/sheet/SheetContent.h"
#include "bake/MergeForecast.h"
#include "chain/Level.h"
#include "chain/MergeChoice.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QMenu;
class QPushButton;

namespace um::app {

class BakePage;
class CommitField;
class Job;
class JobStrip;
class MergePage;
class SheetPicture;
class SheetWork;

class SheetPanel : public QWidget {
    Q_OBJECT

public:
    explicit SheetPanel(SheetWork& work, QWidget* parent = nullptr);

    /// @param name       of what is shown
    /// @param mesh       null for none
    /// @param level      of which it is the mesh; null for the source
    /// @param canBake    whether it is a level that the document keeps
    void show(const QString& name, const std::shared_ptr<const Mesh>& mesh, const Level* level, bool canBake,
              const BakeChoice& bake, const MergeChoice& merge);
    void setContent(std::shared_ptr<const SheetContent> content);
    /// While a bake fills it in.
    void showUnfinished(const QImage& image);
    /// A place of the surface is pointed at.
    void pointAt(TriangleId triangle, const Vec3d& place);

    SheetPicture& picture() const { return *m_picture; }
    const std::shared_ptr<const SheetContent>& content() const { return m_content; }
    std::uint32_t material() const;
    SheetValue value() const;
    QString figures() const;
    unsigned without() const { return m_without; }
    CommitField* field(const QString& name) const;
    QPushButton& bakeButton() const { return *m_bake; }
    void chooseValue(SheetValue value);
    /// The sheet that a triangle lies on.
    void showSheetOf(TriangleId triangle);
    /// What merging came to, in the place of a bake's figures, wherever this mesh is shown.
    void showMerged(const std::shared_ptr<const Mesh>& mesh, const MaterialCost& before, const MaterialCost& after);
    /// What is seen in the middle: the sheet, or how levels are baked, or how materials are merged.
    enum class Page { Seen, Bake, Merge };
    void openPage(Page page);
    Page page() const { return m_page; }
    BakePage& bakePage() const { return *m_bakePage; }
    MergePage& mergePage() const { return *m_mergePage; }
    QPushButton& mergeButton() const { return *m_merge; }

signals:
    /// Another material, value or mesh is to be shown.
    void contentWanted();
    void bakeWanted();
    void choiceChanged(const um::BakeChoice& choice);
    void mergeChoiceChanged(const um::MergeChoice& choice);
    /// What the lit view leaves out (LookPart).
    void withoutChanged(unsigned without);
    /// The next place where a bake found nothing.
    void missWanted();
    /// A chart is pointed at, and a place of it; or none.
    void chartPointedAt(const std::vector<um::app::SheetContent::Side>& rim);
    void placeChosen(const um::Vec3d& place);
    /// What merging would come to is to be found out.
    void forecastWanted();
    void mergeWanted();
    /// Whether the cage is seen, or pushed, is another now.
    void cageWanted();
    void closed();

private:
    void connectAll();
    void fillValues(bool knowsMisses);
    void pointAtChart(const QPointF& place, bool isChosen);

    std::shared_ptr<const Mesh> m_mesh;
    std::shared_ptr<const SheetContent> m_content;
    std::optional<BakeFigures> m_figures;
    QString m_name;

    QLabel *m_heading, *m_facts, *m_pointed, *m_figuresLine;
    QComboBox *m_material, *m_value;
    QPushButton *m_lit, *m_miss, *m_bake, *m_how;
    QMenu* m_litMenu;
    SheetPicture* m_picture;
    BakePage* m_bakePage;
    MergePage* m_mergePage;
    JobStrip* m_strip;
    QPushButton *m_together, *m_merge;
    QWidget* m_seen;
    Page m_page = Page::Seen;
    std::shared_ptr<const Mesh> m_merged;
    QString m_mergedFigures;
    unsigned m_without = 0;
};

}  // namespace um::app
