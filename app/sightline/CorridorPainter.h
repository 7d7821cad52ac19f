#pragma once
/// Paints a chain along the Sightline: the band of its levels with the joints between them, and the corridor below,
/// between what the eye would notice and what the graphics card would waste.
#include "app/sightline/SightlineChain.h"
#include "chain/Target.h"

#include <QPainter>

namespace um::app {

/// Where the rows of the strip are, in pixels from its top.
struct SightlineRows {
    double outlineFloor = 0;  ///< what the outlines stand on
    double bandTop = 0, bandBottom = 0;
    double chartTop = 0, chartBottom = 0;
    double wasteTop = 0, wasteBottom = 0;
};

class CorridorPainter {
public:
    CorridorPainter(const SightlineChain& chain, const SightlineScale& scale, const SightlineRows& rows,
                    const Screen& screen)
        : m_chain(chain), m_scale(scale), m_rows(rows), m_screen(screen) {}

    /// @param drawn  the level that the viewer sees; below 0 for none
    /// @param held   the joint that is dragged or pointed at, or -1
    void paint(QPainter& painter, int drawn, int held) const;
    /// Names, counts and pops: last, so that no line runs through them.
    void paintTexts(QPainter& painter, int drawn) const;

    /// Where an error of so many pixels is in the chart: by its logarithm, so that errors fall in straight lines.
    double yOf(double pixels) const;

private:
    /// A piece of the band.
    struct Segment {
        QRectF place;
        QColor color, textColor;
        QString name, count;
    };
    std::vector<Segment> segments(int drawn) const;
    double begin(std::size_t level) const;
    double end(std::size_t level) const;
    void paintBand(QPainter& painter, int drawn) const;
    void paintHysteresis(QPainter& painter) const;
    void paintErrors(QPainter& painter) const;
    void paintError(QPainter& painter, std::size_t level, double error, bool isOutline) const;
    void paintWaste(QPainter& painter) const;
    void paintJoints(QPainter& painter, int held) const;

    const SightlineChain& m_chain;
    const SightlineScale& m_scale;
    const SightlineRows& m_rows;
    const Screen& m_screen;
};

}  // namespace um::app
