#pragma once
/// Looks for what is wrong with the meshes of the document, one after another, and remembers it.
#include "app/jobs/Job.h"
#include "mesh/Health.h"

#include <map>
#include <memory>

namespace um::app {

class HealthWatch : public QObject {
    Q_OBJECT

public:
    using Findings = std::shared_ptr<const std::vector<Finding>>;

    explicit HealthWatch(QObject* parent = nullptr);

    /// Looks at these, in their order; what is known of others is forgotten.
    void watch(std::vector<std::shared_ptr<const Mesh>> meshes);
    /// Null while it is not known.
    Findings of(const std::shared_ptr<const Mesh>& mesh) const;
    bool isIdle() const { return !m_job.isRunning(); }
    Job& job() { return m_job; }

signals:
    void found();

private:
    void next();

    std::vector<std::shared_ptr<const Mesh>> m_meshes;
    std::map<const Mesh*, Findings> m_findings;
    std::shared_ptr<const Mesh> m_lookedAt;
    std::vector<std::shared_ptr<const Mesh>> m_givenUp;  // for want of memory; not tried again
    Job m_job;
};

}  // namespace um::app
