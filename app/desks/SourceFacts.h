#pragma once
/// What is found out about a source when it comes: its statistics, and its outlines for the Sightline.
#include "app/jobs/Job.h"
#include "draw/Coverage.h"
#include "mesh/Statistics.h"

#include <array>
#include <memory>

namespace um::app {

class SourceFacts : public QObject {
    Q_OBJECT

public:
    using QObject::QObject;

    /// Looks at another source, if it is one; null forgets the last. @returns whether it is another one
    bool watch(std::shared_ptr<const Mesh> source);
    std::array<Job*, 2> jobs() { return {&m_counting, &m_drawing}; }
    bool isIdle() const { return !m_counting.isRunning() && !m_drawing.isRunning(); }

signals:
    void counted(const um::MeshStatistics& statistics);
    /// @param size      the extents of the source's bounding box, in metres
    /// @param height    of the source upright, in metres
    /// @param outlines  in the sizes of the Sightline
    void drawn(const um::Vec3d& size, double height, const std::vector<um::CoverageMask>& outlines);

private:
    void count();
    void draw();

    std::shared_ptr<const Mesh> m_source;
    Job m_counting, m_drawing;
};

}  // namespace um::app
