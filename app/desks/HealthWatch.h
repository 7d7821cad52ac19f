#pragma once
/// Looks for what is wrong with the meshes of the document, one after another, and remembers it.
#include "app/jobs/Job.h"
#include "measure/TexelUse.h"

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
    /// At what was given up, for want of memory or by a Cancel.
    void lookAgain();
    /// Null while it is not known.
    Findings of(const std::shared_ptr<const Mesh>& mesh) const;
    /// How fine its textures lie; empty while it is not known.
    const std::vector<TexelUse>& texelsOf(const std::shared_ptr<const Mesh>& mesh) const;
    bool isIdle() const { return !m_job.isRunning(); }
    Job& job() { return m_job; }

signals:
    void found();

private:
    void next();

    std::vector<std::shared_ptr<const Mesh>> m_meshes;
    struct Known {
        Findings findings;
        std::vector<TexelUse> texels;
    };
    std::map<const Mesh*, Known> m_findings;
    std::shared_ptr<const Mesh> m_lookedAt;
    std::vector<std::shared_ptr<const Mesh>> m_givenUp;
    Job m_job;
};

}  // namespace um::app
