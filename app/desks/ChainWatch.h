#pragma once
/// Keeps what the Sightline shows of the document's chain up to date: which level is drawn where, what it costs, and
/// how much changes where one takes over from another.
#include "app/jobs/Job.h"
#include "app/sightline/SightlineChain.h"
#include "document/Document.h"

#include <map>
#include <QTimer>

namespace um::app {

class ChainWatch : public QObject {
    Q_OBJECT

public:
    explicit ChainWatch(QObject* parent = nullptr);

    void watch(const Document& document);
    const SightlineChain& chain() const { return m_chain; }
    std::array<Job*, 2> jobs() { return {&m_sizing, &m_popping}; }
    bool isIdle() const { return !m_sizing.isRunning() && !m_popping.isRunning() && !m_soon.isActive(); }

signals:
    void changed();

private:
    // Owns its meshes: a freed one could share its address with a new one.
    struct Joint {
        std::shared_ptr<const Mesh> before, after;
        double pixelsPerUnit;
        auto operator<=>(const Joint&) const = default;
    };
    void put();
    void forgetOldPops();
    void measureNextPop();
    std::optional<Joint> jointOf(std::size_t level) const;

    Document m_document;
    AssetSize m_size;
    std::shared_ptr<const Mesh> m_sizeOf;
    SightlineChain m_chain;
    std::map<Joint, Pop> m_pops;
    QTimer m_soon;
    Job m_sizing, m_popping;
};

}  // namespace um::app
