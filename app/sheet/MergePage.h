#pragma once
/// Merging a mesh's materials: which goes on which sheet, and what that comes to, before anything is computed.
#include "app/sheet/MaterialTree.h"
#include "bake/MergeForecast.h"
#include "chain/BakeChoice.h"

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QVBoxLayout;

namespace um::app {

class CommitField;

/// What is known of a mesh's materials, whatever is done with them.
struct MaterialFacts {
    std::vector<QImage> swatches;  ///< of each: what it looks like, a few pixels
    std::vector<JoinOffer> joins;
};

class MergePage : public QWidget {
    Q_OBJECT

public:
    explicit MergePage(QWidget* parent = nullptr);

    /// Another mesh begins with all of its materials on one sheet.
    void show(const std::shared_ptr<const Mesh>& mesh, const BakeChoice& choice);
    /// As it stands.
    MergeSettings settings() const;
    void setFacts(MaterialFacts facts);
    bool hasFacts() const { return m_facts.has_value(); }
    /// Of the settings as they stand.
    void setForecast(const MergeForecast& forecast);
    void setProblem(const QString& sentence);

    void putOn(std::uint32_t material, int sheet);
    /// One in the other's place.
    void join(std::uint32_t material, std::uint32_t standIn);

    MaterialTree& tree() const { return *m_tree; }
    QString predicted() const;

signals:
    /// Something was decided: the forecast no longer holds.
    void planChanged();

private:
    void decided();
    void fillTree();
    void fillOffers();
    void addOffer(const QString& text, const QString& button, const std::function<void()>& action);
    void dropOn(std::uint32_t material, MaterialTree::Kind onto, int number);
    std::vector<int> sheets() const;

    std::shared_ptr<const Mesh> m_mesh;
    BakeChoice m_choice;
    std::vector<int> m_sheetOf;            // of each material
    std::vector<std::uint32_t> m_standIn;  // for each material; itself where it stands for itself
    std::optional<MaterialFacts> m_facts;
    std::optional<MergeForecast> m_forecast;
    int m_size = 2048;
    QLabel* m_problem;
    MaterialTree* m_tree;
    CommitField* m_sheet;
    QComboBox* m_share;
    QCheckBox* m_join;
    QGridLayout* m_figures;
    QWidget* m_offers;
    QVBoxLayout* m_offerRows;
};

}  // namespace um::app
