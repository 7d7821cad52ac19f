#include "app/desks/ChainWatch.h"

namespace um::app {
namespace {

constexpr int quietBeforePop = 400;  // milliseconds: a joint that is being dragged is not measured at each place

}  // namespace

ChainWatch::ChainWatch(QObject* parent) : QObject(parent) {
    m_soon.setSingleShot(true);
    m_soon.setInterval(quietBeforePop);
    connect(&m_soon, &QTimer::timeout, this, &ChainWatch::measureNextPop);
    connect(&m_popping, &Job::ended, this, &ChainWatch::measureNextPop);
}

void ChainWatch::watch(const Document& document) {
    m_document = document;
    if (document.source != m_sizeOf) {
        m_sizeOf = document.source;
        m_size = {};
        m_pops.clear();
        m_sizing.cancel();
        if (m_sizeOf)
            m_sizing.start([this, source = m_sizeOf](const Progress& progress) -> Job::Delivery {
                const AssetSize size = sizeOf(*source, progress);
                return [this, source, size] {
                    if (source != m_sizeOf) return;
                    m_size = size;
                    put();
                };
            });
    }
    forgetOldPops();
    put();
}

std::optional<ChainWatch::Joint> ChainWatch::jointOf(std::size_t level) const {
    if (level == 0 || level >= m_chain.levels.size() || !(m_chain.band.from[level] > 0)) return std::nullopt;
    const auto& levels = m_document.levels;
    return Joint{levels[level - 1].mesh, levels[level].mesh,
                 m_document.screen.pixels(levels[level].mesh->metresPerUnit, m_chain.band.from[level])};
}

void ChainWatch::put() {
    SightlineChain chain;
    chain.size = m_size;
    chain.switching = m_document.switching;
    std::vector<LevelCost> costs;
    // Until the asset's size is known there is nothing to hold levels against.
    if (m_size.diagonal > 0)
        for (const Level& level : m_document.levels) {
            costs.push_back(costOf(level));
            chain.levels.push_back({QString::fromStdString(level.name), level.mesh->triangleCount(), costs.back()});
        }
    chain.band = bandOf(costs, m_size, m_document.screen, m_document.switching);
    m_chain = std::move(chain);
    bool isComplete = true;
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const auto joint = jointOf(i);
        const auto known = joint ? m_pops.find(*joint) : m_pops.end();
        m_chain.pops.push_back(known != m_pops.end() ? std::optional(known->second) : std::nullopt);
        isComplete = isComplete && (!joint || known != m_pops.end());
    }
    if (!isComplete && !m_popping.isRunning()) m_soon.start();
    emit changed();
}

// Of levels that the document no longer has.
void ChainWatch::forgetOldPops() {
    const auto isThere = [&](const std::shared_ptr<const Mesh>& mesh) {
        return std::any_of(m_document.levels.begin(), m_document.levels.end(),
                           [&](const Level& level) { return level.mesh == mesh; });
    };
    std::erase_if(m_pops,
                  [&](const auto& known) { return !isThere(known.first.before) || !isThere(known.first.after); });
}

void ChainWatch::measureNextPop() {
    if (m_popping.isRunning()) return;
    for (std::size_t i = 1; i < m_chain.levels.size(); ++i) {
        const auto joint = jointOf(i);
        const Level& after = m_document.levels[i];
        // What is still being measured may move the joint.
        if (!joint || m_pops.contains(*joint) || !after.evidence) continue;
        m_popping.start([this, joint = *joint](const Progress& progress) -> Job::Delivery {
            const Pop pop = measurePop(*joint.before, *joint.after, joint.pixelsPerUnit, progress);
            return [this, joint, pop] {
                m_pops[joint] = pop;
                put();
            };
        });
        return;
    }
}

}  // namespace um::app
