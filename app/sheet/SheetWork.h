#pragma once
/// What the Sheet computes beside the window: baking a level of the document, and making its textures ready to be seen.
#include "app/desks/DocumentModel.h"
#include "app/jobs/Job.h"
#include "app/sheet/MergePage.h"
#include "app/sheet/SheetContent.h"
#include "app/viewport/DrawMesh.h"

#include <mutex>

namespace um::app {

class SheetWork : public QObject {
    Q_OBJECT

public:
    explicit SheetWork(DocumentModel& model, QObject* parent = nullptr);

    /// Bakes a level as the document says, and measures how far it then looks off where the viewer stands.
    void bake(std::size_t level);
    /// Merges materials of a mesh; `merged` tells.
    void merge(std::shared_ptr<const Mesh> mesh, const MergeSettings& settings);
    /// What merging them would come to, and first what they are, if that is not known.
    void forecast(std::shared_ptr<const Mesh> mesh, const MergeSettings& settings, bool withFacts);
    /// @see makeSheetContent
    void makeReady(std::shared_ptr<const Mesh> mesh, std::uint32_t material, SheetValue value,
                   std::vector<std::shared_ptr<const std::string>> misses);
    /// Measures how deep the cage of a level is, and makes it ready to be seen; `cageReady` tells, at once if it is.
    void makeCage(std::shared_ptr<const Mesh> level, const CageSettings& settings);
    /// Finds out which place of a mesh a line of sight meets first.
    void lookUp(std::shared_ptr<const Mesh> mesh, const Vec3d& from, const Vec3d& direction);
    Job& bakingJob() { return m_baking; }
    Job& readingJob() { return m_reading; }
    Job& cageJob() { return m_caging; }
    Job& forecastJob() { return m_forecasting; }
    bool isIdle() const;
    void cancel();

signals:
    void contentReady(const std::shared_ptr<const um::app::SheetContent>& content);
    /// A small picture of a level's base colour, as far as it is.
    void filledIn(const std::shared_ptr<const um::Mesh>& level, const QImage& image);
    /// What was looked up.
    void met(const std::shared_ptr<const um::Mesh>& mesh, um::TriangleId triangle, const um::Vec3d& place);
    void cageReady(const std::shared_ptr<const um::Mesh>& level, const um::app::Drawable& cage);
    void merged(const std::shared_ptr<const um::Mesh>& before, const std::shared_ptr<const um::Mesh>& after,
                const QStringList& notes);
    void factsKnown(const std::shared_ptr<const um::Mesh>& mesh, const um::app::MaterialFacts& facts);
    void forecastKnown(const std::shared_ptr<const um::Mesh>& mesh, const um::MergeForecast& forecast);
    /// The same, where it would not do.
    void forecastFailed(const std::shared_ptr<const um::Mesh>& mesh, const QString& sentence);
    void said(const QString& sentence);

private:
    /// Filled by the threads that bake, looked at by the window's.
    struct Filling {
        std::shared_ptr<const Mesh> level;
        std::mutex mutex;
        QImage image;
    };

    DocumentModel& m_model;
    /// A cage as it was measured, without pushes.
    struct Measured {
        std::shared_ptr<const Mesh> source, level;
        double factor = 0, depth = 0;
        Cage cage;
    };

    Job m_baking, m_reading, m_lookingUp, m_forecasting, m_caging;
    std::shared_ptr<const Measured> m_measured;
    /// The cage that was asked for last, and what it looks like once that is there.
    struct Asked {
        std::shared_ptr<const Mesh> source, level;
        CageSettings settings;
        bool operator==(const Asked&) const = default;
    };
    Asked m_asked;
    Drawable m_cage;
    std::shared_ptr<Filling> m_filling;
    QTimer m_looking;
};

}  // namespace um::app
