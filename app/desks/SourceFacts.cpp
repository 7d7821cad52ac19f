#include "app/desks/SourceFacts.h"

#include "app/sightline/SightlineStrip.h"
#include "measure/Silhouette.h"
#include "reduce/Cluster.h"

namespace um::app {

bool SourceFacts::watch(std::shared_ptr<const Mesh> source) {
    if (source == m_source) return false;
    m_source = std::move(source);
    for (Job* job : jobs()) job->cancel();
    if (!m_source) return true;
    count();
    draw();
    return true;
}

void SourceFacts::count() {
    m_counting.start([this, source = m_source](const Progress& progress) -> Job::Delivery {
        auto statistics = std::make_shared<MeshStatistics>(gatherStatistics(*source, progress));
        return [this, source, statistics] {
            if (source == m_source) emit counted(*statistics);
        };
    });
}

// From a likeness that is fine enough for pictures of some eighty pixels.
void SourceFacts::draw() {
    m_drawing.start([this, source = m_source](const Progress& progress) -> Job::Delivery {
        constexpr std::size_t enough = 400000;
        const Mesh coarse =
            source->triangleCount() > enough ? clusterVertices(*source, enough, progress.span(0, 0.6)) : Mesh();
        const ContourMesh drawnMesh(coarse.triangles.empty() ? *source : coarse);
        const double height = standingHeight(*source);
        std::vector<CoverageMask> outlines;
        for (const double pixels : SightlineStrip::outlineHeights()) {
            progress.check();
            outlines.push_back(drawCoverage(drawnMesh, Mat3d::Identity(), pixels / height));
        }
        const double metres = source->metresPerUnit;
        const Vec3d size = boundingBox(*source).sizes().cast<double>() * metres;
        return [this, source, size, height = height * metres, outlines] {
            if (source == m_source) emit drawn(size, height, outlines);
        };
    });
}

}  // namespace um::app
