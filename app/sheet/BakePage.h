#pragma once
/// How levels are baked: the sheet, who gets how much of it, how deep the source is looked for.
#include "chain/BakeChoice.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QGridLayout;
class QPushButton;
class QVBoxLayout;

namespace um::app {

class CommitField;

class BakePage : public QWidget {
    Q_OBJECT

public:
    explicit BakePage(QWidget* parent = nullptr);

    /// @param mesh     that is to be baked, or null
    /// @param isLevel  whether it is one, and so has a cage
    /// @param figures  of its bake; null where there is none
    void show(const std::shared_ptr<const Mesh>& mesh, bool isLevel, const BakeFigures* figures,
              const BakeChoice& choice);
    /// The part that has a row whatever its size; empty for none.
    void setChosenPart(const std::string& name);
    /// Whether the cage is seen, and whether dragging over the model pushes it.
    bool showsCage() const;
    bool brushes() const;
    void stopBrushing();

signals:
    void choiceChanged(const um::BakeChoice& choice);
    void cageWanted();

private:
    /// What the rows of parts tell.
    struct PartRows {
        std::vector<std::string> names;
        std::vector<PartShare> shares;  // of a bake, or none
        std::size_t more = 0;           // parts that have no row
        bool operator==(const PartRows&) const = default;
    };

    void addFields(QVBoxLayout& column);
    void addCageRow(QVBoxLayout& column);
    void addSources(QVBoxLayout& column);
    void connectAll();
    void change(const std::function<void(BakeChoice&)>& edit);
    void fillSources();
    PartRows partsToShow() const;
    void fillParts();
    void addPartRow(const std::string& name, const PartShare* share);

    std::shared_ptr<const Mesh> m_mesh;
    BakeChoice m_choice;
    std::vector<PartShare> m_shares;
    std::string m_chosenPart;
    CommitField *m_sheet, *m_padding, *m_sheets, *m_cage;
    QComboBox *m_bits, *m_samples, *m_share;
    QPushButton *m_seeCage, *m_brush, *m_even;
    QCheckBox *m_join, *m_apart, *m_occlusion, *m_seams, *m_keep;
    QWidget* m_sources;
    QVBoxLayout* m_sourceRows;
    QWidget* m_parts;
    QGridLayout* m_partRows;
    PartRows m_rowsShown;
    std::vector<std::string> m_sourcesShown;
    bool m_isSettingFactors = false;
};

}  // namespace um::app
