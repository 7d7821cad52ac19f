#pragma once
/// The Asset desk: parts and levels on the left, the viewport, target and evidence on the right, the Sightline below.
/// It runs the computations that belong to them and shows what comes of it.
#include "app/desks/DocumentModel.h"
#include "app/jobs/Job.h"
#include "app/panels/LevelsPanel.h"
#include "app/viewport/DrawMesh.h"
#include "mesh/Health.h"

#include <map>
#include <QWidget>

class QPushButton;

namespace um::app {

class EvidencePanel;
class OutlinePanel;
class OutlineWatch;
class ExportCard;
class FindingsCard;
class HealthWatch;
class MessageBar;
class PartsPanel;
class ProtectPanel;
class SightlineStrip;
class TargetPanel;
class ViewArea;

class AssetDesk : public QWidget {
    Q_OBJECT

public:
    AssetDesk(DocumentModel& model, MessageBar& messages, QWidget* parent = nullptr);
    ~AssetDesk() override;

    ViewArea& view() { return *m_view; }
    ProtectPanel& protect() const { return *m_protect; }
    TargetPanel& target() { return *m_target; }
    EvidencePanel& evidence() { return *m_evidence; }
    OutlinePanel& outline() { return *m_outline; }
    OutlineWatch& outlineWatch() { return *m_outlineWatch; }
    LevelsPanel& levels() { return *m_levels; }
    SightlineStrip& sightline() { return *m_sightline; }
    ExportCard& exportCard() { return *m_export; }
    FindingsCard& findingsCard() { return *m_findings; }
    HealthWatch& health() { return *m_health; }
    Job& repairJob() { return m_repairing; }
    Job& sheetJob() { return m_judging; }
    Job& reduceJob() { return m_reducing; }
    Job& measureJob() { return m_measuring; }

    /// A mesh made ready for drawing while the document was opened.
    void keepDrawable(const std::shared_ptr<const Mesh>& mesh, const Deviation* evidence, const Drawable& drawable);

    Shown shown() const { return m_shown; }
    const std::optional<Level>& preview() const { return m_preview; }
    /// Whether nothing is being computed or drawn any more.
    bool isIdle() const;

public slots:
    void show(um::app::Shown shown);
    void reduce(const QString& typed, const um::Target& target);
    void keepPreview();
    void replaceSource();
    void discardPreview();
    void cancelEverything();
    void openExport(int level);
    void openFindings();
    /// To where the level is farthest off its source; again, to where the source is farthest off the level.
    void goToWorst();
    void repair(um::Fault fault);
    /// The evidence of all levels as a sheet of its own: HTML, or PDF where the name ends so.
    void writeSheet(const QString& path);
    void readGuards(const QString& path);
    void writeGuards(const QString& path);

signals:
    /// How many kinds of faults the mesh shown has; below 0 while it is not known.
    void findingsChanged(int count);

private:
    void refreshFindings();
    void documentOpened();
    void documentChanged();
    void refresh();
    void refreshLines();
    void dropUnusedDrawables();
    void changeCare(const QString& what, const Care& care);
    void guardPart(int part, GuardValue value);
    void measureNext();
    void interruptMeasuring();
    void gatherStatisticsOfSource();
    void drawOutlines();
    void followViewer(double metres);
    void watchOutlines();
    void renameLevel(int level, const QString& name);
    void removeLevel(int level);
    const Level* shownLevel() const;
    std::shared_ptr<const Mesh> shownMesh() const;
    std::optional<Drawable> drawableOf(const std::shared_ptr<const Mesh>& mesh, const Deviation* evidence) const;
    QWidget* makeLeft();
    QWidget* makeRight();

    DocumentModel& m_model;
    MessageBar& m_messages;
    Job m_reducing, m_measuring, m_counting, m_preparing, m_outlining, m_repairing, m_judging;
    std::optional<Level> m_preview;
    Shown m_shown;
    std::map<const Mesh*, std::pair<const Deviation*, Drawable>> m_drawables;
    bool m_wasAtWorst = false;
    std::shared_ptr<const Mesh> m_countedSource;
    std::shared_ptr<const Mesh> m_outlinedSource;
    std::shared_ptr<const Mesh> m_beingMeasured;
    std::vector<const Mesh*> m_declined;  // whose measuring was cancelled

    PartsPanel* m_parts;
    LevelsPanel* m_levels;
    ViewArea* m_view;
    TargetPanel* m_target;
    ProtectPanel* m_protect;
    EvidencePanel* m_evidence;
    OutlineWatch* m_outlineWatch;
    OutlinePanel* m_outline;
    SightlineStrip* m_sightline;
    ExportCard* m_export;
    HealthWatch* m_health;
    FindingsCard* m_findings;
    QWidget *m_left, *m_right, *m_decision;
    QPushButton *m_keep, *m_replace, *m_discard;
};

}  // namespace um::app
