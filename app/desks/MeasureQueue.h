#pragma once
/// Measures the levels that have no evidence yet, one after another.
#include "app/jobs/Job.h"
#include "chain/Chain.h"

namespace um::app {

/// A level's mesh, and what is known of it already.
struct Unmeasured {
    std::shared_ptr<const Mesh> mesh;
    std::shared_ptr<const Deviation> evidence;  ///< null where that is to be measured too
};

class MeasureQueue : public QObject {
    Q_OBJECT

public:
    explicit MeasureQueue(QObject* parent = nullptr);

    /// What there is to measure against `source`, the most wanted first. What was cancelled by hand waits until it is
    /// asked for.
    void set(std::shared_ptr<const Mesh> source, std::vector<Unmeasured> waiting);
    /// Makes room for something more pressing until `resume`.
    void pause();
    void resume();
    /// What was cancelled by hand is to be measured after all.
    void forgetCancelled();

    bool isMeasuring(const std::shared_ptr<const Mesh>& mesh) const { return m_measuring.isRunning() && mesh == m_now; }
    Job& job() { return m_measuring; }

signals:
    void measured(const std::shared_ptr<const um::Mesh>& mesh, const std::shared_ptr<const um::Deviation>& evidence,
                  const um::OutlineError& outline);
    void changed();

private:
    /// What can be known of a source before there is a level: it takes as long as measuring one.
    struct Contour {
        Contour(const Mesh& source, const Progress& progress) : mesh(source), outlines(outlinesOf(mesh, progress)) {}

        ContourMesh mesh;
        SourceOutlines outlines;
    };
    struct Ready {
        std::shared_ptr<const DeviationSource> surface;  // null until it is needed
        std::shared_ptr<const Contour> contour;
    };

    void next();
    static std::shared_ptr<const Deviation> measureSurface(const Mesh& source, const Mesh& level, Ready& ready,
                                                           const Progress& progress);
    static OutlineError measureContour(const Mesh& source, const Mesh& level, Ready& ready, const Progress& progress);

    std::shared_ptr<const Mesh> m_source, m_now;
    Ready m_ready;  // of m_source
    std::vector<Unmeasured> m_waiting;
    std::vector<std::shared_ptr<const Mesh>> m_declined;
    bool m_isPaused = false;
    Job m_measuring;
};

}  // namespace um::app
