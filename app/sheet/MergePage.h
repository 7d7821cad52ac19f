#pragma once
/// Merging a mesh's materials: which goes on which sheet, and what that comes to, before anything is computed.
#include "app/sheet/MaterialTree.h"
#include "bake/MergeForecast.h"
#include "chain/MergeChoice.h"

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

    /// @returns whether mesh or settings changed, so that a new forecast is needed
    bool show(const std::shared_ptr<const Mesh>& mesh, const BakeChoice& bake, const MergeChoice& choice);
    /// As it stands.
    MergeSettings settings() const { return settingsFor(m_choice, m_bake); }
    void setFacts(MaterialFacts facts);
    bool hasFacts() const { return m_facts.has_value(); }
    /// Of the settings as they stand.
    void setForecast(const MergeForecast& forecast);
    void setProblem(const QString& sentence);

    void putOn(std::uint32_t material, int sheet);
    /// Replaces materials by another one.
    void join(const std::vector<std::uint32_t>& materials, std::uint32_t standIn);

    MaterialTree& tree() const { return *m_tree; }
    QString predicted() const;

signals:
    void choiceChanged(const um::MergeChoice& choice);

private:
    void change(const std::function<void(MergeChoice&)>& edit);
    void fillTree();
    void fillOffers();
    void addOffer(const QString& text, const QString& button, const std::function<void()>& action);
    void dropOn(std::uint32_t material, MaterialTree::Kind onto, int number);
    std::vector<int> sheets() const;

    std::shared_ptr<const Mesh> m_mesh;
    BakeChoice m_bake;
    MergeChoice m_choice;  // fitted to the mesh
    std::optional<MaterialFacts> m_facts;
    std::optional<MergeForecast> m_forecast;
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
