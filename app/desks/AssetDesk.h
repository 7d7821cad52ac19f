#pragma once
/// The Asset desk: parts and levels on the left, the viewport, target and evidence on the right, the Sightline below.
/// It runs the computations that belong to them and shows what comes of it.
#include "app/desks/DocumentModel.h"
#include "app/desks/DrawableStore.h"
#include "app/panels/LevelsPanel.h"
#include "mesh/Health.h"

#include <functional>
#include <QWidget>

class QPushButton;

namespace um::app {

class BudgetPanel;
class CageBrush;
class ChainCard;
class ChainWatch;
class ChainWork;
class CostWatch;
class EvidencePanel;
class MeasureQueue;
class OutlinePanel;
class OutlineWatch;
class ExportCard;
class FindingsCard;
class HealthWatch;
class MessageBar;
class PartsPanel;
class Places;
class ProtectPanel;
class SheetPanel;
class SheetWork;
class SightlineStrip;
class SourceFacts;
class TargetPanel;
class ViewArea;
class Walk;
class WorstTour;

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
    Job& restateJob() { return m_restating; }
    Job& reduceJob() { return m_reducing; }
    Job& measureJob();
    CostWatch& costs() { return *m_costs; }
    ChainCard& chainCard() { return *m_chainCard; }
    ChainWatch& chainWatch() { return *m_chainWatch; }
    ChainWork& chainWork() { return *m_chainWork; }
    BudgetPanel& budget() { return *m_budget; }
    Walk& walk() { return *m_walk; }
    WorstTour& tour() { return *m_tour; }
    PartsPanel& parts() { return *m_parts; }
    SheetPanel& sheet() { return *m_sheetPanel; }
    CageBrush& cageBrush() { return *m_cageBrush; }
    SheetWork& sheetWork() { return *m_sheetWork; }

    /// Where meshes that were made ready for drawing while the document was opened are kept.
    DrawableStore& drawables() { return *m_drawables; }

    Shown shown() const { return m_shown; }
    /// What it is compared with.
    Shown other() const { return m_other; }
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
    void openChain();
    /// The Sheet in the right panel's place, or that back.
    void openSheet(bool open);
    /// Bakes the level that is shown.
    void bakeShown();
    /// To the next place where the shown level's bake found nothing.
    void goToMiss();
    /// Asks for a file in a level's place; below 0 as a new one.
    void chooseHandmade(int level);
    /// Walks up to the asset and away, or stops.
    void toggleWalk();
    void readRecipeFrom(const QString& path);
    void writeRecipeTo(const QString& path);
    /// To where level and source are farthest apart, and from there to the next such place, or with -1 to the last.
    void goToWorst(int step = 1);
    /// Measures the place of the surface that lies under a place of the viewport.
    void probeAt(const QPointF& place);
    void compareWith(um::app::Shown other);
    void repair(um::Fault fault, double size);
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
    void refreshPicture();
    void refreshCosts();
    void connectViews();
    void connectReducing();
    void connectJobs();
    void restateSource(const QString& what, const std::function<Document(Document)>& change,
                       const std::function<void()>& then);
    void setUnit(double metres);
    void setUp(UpAxis up);
    void changeCare(const QString& what, const Care& care);
    void guardPart(int part, GuardValue value);
    void queueMeasuring();
    void placeFirstViewer();
    void followViewer(double metres);
    /// The level that is drawn where the viewer stands, as it came about by walking there.
    void followLevel(double metres, bool comesAlong);
    void refreshChain();
    void connectChain();
    void connectSheet();
    void connectMerging();
    void connectCage();
    void refreshCage();
    void takeMerged(const std::shared_ptr<const Mesh>& before, const std::shared_ptr<const Mesh>& after,
                    const QStringList& notes);
    void refreshSheet();
    void watchOutlines();
    void renameLevel(int level, const QString& name);
    void removeLevel(int level);
    const Level* levelOf(Shown shown) const;
    const Level* shownLevel() const { return levelOf(m_shown); }
    std::shared_ptr<const Mesh> meshOf(Shown shown) const;
    std::shared_ptr<const Mesh> shownMesh() const { return meshOf(m_shown); }
    QString nameOf(Shown shown) const;
    std::vector<Shown> everythingButShown() const;
    Wanted wantedOf(Shown shown, Shown beside) const;
    QWidget* makeLeft();
    QWidget* makeRight();
    QWidget* makeDecision();
    void showPreview(Level level);

    DocumentModel& m_model;
    MessageBar& m_messages;
    Job m_reducing, m_repairing, m_judging, m_restating;
    std::optional<Level> m_preview;
    std::shared_ptr<const Mesh> m_previewOf;  // the source that it was made of
    Shown m_shown, m_other;
    double m_pixelsPerUnit = 0;  // where the player stands
    int m_drawn = -1;            // the level that is drawn there; below 0 for none
    double m_faded = 0;          // how far the next one has come in

    PartsPanel* m_parts;
    LevelsPanel* m_levels;
    ViewArea* m_view;
    TargetPanel* m_target;
    ProtectPanel* m_protect;
    MeasureQueue* m_measuring;
    DrawableStore* m_drawables;
    CostWatch* m_costs;
    ChainWatch* m_chainWatch;
    ChainWork* m_chainWork;
    Walk* m_walk;
    WorstTour* m_tour;
    Places* m_places;
    SourceFacts* m_facts;
    EvidencePanel* m_evidence;
    OutlineWatch* m_outlineWatch;
    OutlinePanel* m_outline;
    SightlineStrip* m_sightline;
    Vec3d m_assetSize = Vec3d::Zero();  // the extents of the source's bounding box, in metres
    SheetWork* m_sheetWork;
    SheetPanel* m_sheetPanel;
    CageBrush* m_cageBrush;
    bool m_sheetIsOpen = false;
    std::size_t m_miss = 0;  // the next one to go to
    BudgetPanel* m_budget;
    ChainCard* m_chainCard;
    ExportCard* m_export;
    HealthWatch* m_health;
    FindingsCard* m_findings;
    QWidget *m_left, *m_side, *m_right, *m_decision;
    QPushButton *m_keep, *m_replace, *m_discard;
};

}  // namespace um::app
