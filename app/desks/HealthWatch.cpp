#include "app/desks/HealthWatch.h"

namespace um::app {

HealthWatch::HealthWatch(QObject* parent) : QObject(parent) {
    // What was cancelled by hand or failed is looked at again when it is asked for.
    connect(&m_job, &Job::cancelled, this, [this] { m_givenUp.push_back(m_lookedAt); });
    connect(&m_job, &Job::failed, this, [this] { m_givenUp.push_back(m_lookedAt); });
    connect(&m_job, &Job::ended, this, &HealthWatch::next);
}

void HealthWatch::watch(std::vector<std::shared_ptr<const Mesh>> meshes) {
    if (meshes == m_meshes) return;
    m_meshes = std::move(meshes);
    std::erase_if(m_givenUp, [this](const auto& mesh) {
        return std::find(m_meshes.begin(), m_meshes.end(), mesh) == m_meshes.end();
    });
    std::erase_if(m_findings, [this](const auto& entry) {
        return std::none_of(m_meshes.begin(), m_meshes.end(),
                            [&](const auto& mesh) { return mesh.get() == entry.first; });
    });
    next();
}

HealthWatch::Findings HealthWatch::of(const std::shared_ptr<const Mesh>& mesh) const {
    const auto known = m_findings.find(mesh.get());
    return known != m_findings.end() ? known->second.findings : nullptr;
}

const std::vector<TexelUse>& HealthWatch::texelsOf(const std::shared_ptr<const Mesh>& mesh) const {
    static const std::vector<TexelUse> none;
    const auto known = m_findings.find(mesh.get());
    return known != m_findings.end() ? known->second.texels : none;
}

void HealthWatch::lookAgain() {
    m_givenUp.clear();
    next();
}

void HealthWatch::next() {
    if (m_job.isRunning()) return;
    for (const auto& mesh : m_meshes) {
        if (!mesh || of(mesh) || std::find(m_givenUp.begin(), m_givenUp.end(), mesh) != m_givenUp.end()) continue;
        m_lookedAt = mesh;
        m_job.start([this, mesh](const Progress& progress) -> Job::Delivery {
            auto findings = std::make_shared<const std::vector<Finding>>(findFaults(*mesh, progress));
            return [this, mesh, findings, texels = measureTexelUse(*mesh)] {
                if (std::find(m_meshes.begin(), m_meshes.end(), mesh) == m_meshes.end()) return;
                m_findings[mesh.get()] = {findings, texels};
                emit found();
            };
        });
        return;
    }
}

}  // namespace um::app
