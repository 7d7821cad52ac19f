#pragma once
/// The Sheet, in the right panel's place: a mesh's textures seen flat, what came of its bake, and how it is baked.
#include "app/sheet/SheetContent.h"
#include "chain/Level.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QMenu;
class QPushButton;

namespace um::app {

class CommitField;
class Job;
class SheetPicture;

class SheetPanel : public QWidget {
    Q_OBJECT

public:
    explicit SheetPanel(Job& baking, QWidget* parent = nullptr);

    /// @param name       of what is shown
    /// @param mesh       null for none
    /// @param level      of which it is the mesh; null for the source
    /// @param canBake    whether it is a level that the document keeps
    void show(const QString& name, const std::shared_ptr<const Mesh>& mesh, const Level* level, bool canBake,
              const BakeChoice& choice);
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
    /// How the level is baked, in the picture's place.
    void openSettings(bool open);

signals:
    /// Another material, value or mesh is to be shown.
    void contentWanted();
    void bakeWanted();
    void choiceChanged(const um::BakeChoice& choice);
    /// What the lit view leaves out (LookPart).
    void withoutChanged(unsigned without);
    /// The next place where a bake found nothing.
    void missWanted();
    /// A chart is pointed at, and a place of it; or none.
    void chartPointedAt(const std::vector<um::app::SheetContent::Side>& rim);
    void placeChosen(const um::Vec3d& place);
    void closed();

private:
    QWidget* makeSettings();
    void connectAll();
    void change(const std::function<void(BakeChoice&)>& edit);
    void fillValues(bool knowsMisses);
    void fillParts();
    void addPartRow(const std::string& name, const PartShare* share);
    void pointAtChart(const QPointF& place, bool isChosen);

    std::shared_ptr<const Mesh> m_mesh;
    std::shared_ptr<const SheetContent> m_content;
    std::optional<BakeFigures> m_figures;
    BakeChoice m_choice;
    QString m_name;

    QLabel *m_heading, *m_facts, *m_pointed, *m_figuresLine;
    QComboBox *m_material, *m_value, *m_samples, *m_share;
    QPushButton *m_lit, *m_miss, *m_bake, *m_how;
    QMenu* m_litMenu;
    SheetPicture* m_picture;
    CommitField *m_sheet, *m_padding, *m_cage;
    QCheckBox *m_join, *m_apart, *m_occlusion, *m_keep;
    QWidget *m_seen, *m_settings, *m_parts;
    QGridLayout* m_partRows;
    /// What the rows of parts tell.
    struct PartRows {
        std::vector<std::string> names;
        std::vector<PartShare> shares;
        bool operator==(const PartRows&) const = default;
    };
    PartRows m_rowsShown;
    bool m_isSettingFactors = false;
    unsigned m_without = 0;
};

}  // namespace um::app
