#include "chain/RestOfSource.h"

namespace um {

RestOfSource::RestOfSource(const Mesh& source, std::size_t enough, const ReduceSettings& settings,
                           const Progress& progress)
    : m_source(source), m_settings(settings) {
    requireSurface(source, "The mesh");
    m_rest = withoutDropped(source, enough, settings, m_dropped, progress);
    m_settings.dropUnseen = false;
    m_settings.dropLooseBelow = 0;
}

void RestOfSource::tellOfWhole(const Mesh& level, Deviation& deviation, ReduceNotes& notes,
                               const Progress& progress) const {
    if (!m_rest) return;
    notes.dropped = m_dropped.dropped;
    notes.unseenTriangles = m_dropped.unseenTriangles;
    notes.restWithin = deviation.maxBound;
    deviation = measureDeviation(m_source, level, {}, progress);
}

}  // namespace um
