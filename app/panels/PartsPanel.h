#pragma once
/// The parts of the source with their share of its triangles, and what the chosen one (or the whole) is at a glance.
#include "measure/Deviation.h"
#include "mesh/Placement.h"
#include "mesh/Statistics.h"
#include "reduce/Guard.h"

#include <memory>
#include <optional>
#include <QWidget>

class QLabel;
class QLineEdit;
class QVBoxLayout;

namespace um::app {

class PartsList;

class PartsPanel : public QWidget {
    Q_OBJECT

public:
    explicit PartsPanel(QWidget* parent = nullptr);

    /// @param up  what points up in its file; nothing where that says so itself
    /// @param unitIsChosen  by someone, who may choose it again
    void setSource(const Mesh* mesh, std::optional<UpAxis> up = {}, bool unitIsChosen = false);
    /// Arrives later than the mesh; without it only the counts are known.
    void setStatistics(std::optional<MeshStatistics> statistics);
    void setGuard(const Guard& guard);
    /// Of the level that is shown, for how far the chosen part is off; null for none.
    void setEvidence(std::shared_ptr<const Deviation> evidence);
    void showProperties();
    int chosenPart() const { return m_chosen; }
    void choose(int part);

signals:
    /// The part that should stand out; -1 for none.
    void partChosen(int part);
    void unitChosen(double metresPerUnit);
    void upChosen(um::UpAxis up);
    void guardChosen(int part, um::GuardValue value);

private:
    void showRows();
    GuardValue guardOf(std::size_t part) const;

    const Mesh* m_mesh = nullptr;
    std::optional<UpAxis> m_up;
    bool m_unitIsChosen = false;
    std::vector<std::size_t> m_triangles;
    std::optional<MeshStatistics> m_statistics;
    Guard m_guard;
    std::shared_ptr<const Deviation> m_evidence;
    int m_chosen = -1;
    QLabel* m_total;
    QLabel* m_title;
    QLineEdit* m_find;
    PartsList* m_list;
    QVBoxLayout* m_properties;
};

}  // namespace um::app
