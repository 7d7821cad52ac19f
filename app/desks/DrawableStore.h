#pragma once
/// Meshes made ready for drawing beside the window, kept for as long as they are needed.
#include "app/jobs/Job.h"
#include "app/viewport/DrawMesh.h"
#include "app/viewport/Renderer.h"
#include "measure/Deviation.h"

#include <map>

namespace um::app {

/// A mesh to be drawn, and what its surface is to be coloured by.
struct Wanted {
    std::shared_ptr<const Mesh> mesh;
    Tint tint = Tint::None;
    std::shared_ptr<const Deviation> evidence;  ///< for deviation; null where there is none
    bool isSource = false;                      ///< the mesh is the source of the evidence, not its level

    bool operator==(const Wanted&) const = default;
};

class DrawableStore : public QObject {
    Q_OBJECT

public:
    using QObject::QObject;

    /// A mesh that was made ready elsewhere.
    void keep(const std::shared_ptr<const Mesh>& mesh, const Drawable& drawable);
    /// Both, or nothing while they are still being made; `ready` tells when to ask again.
    std::optional<std::pair<Drawable, Drawable>> ask(const Wanted& first, const Wanted& second);
    /// Forgets all other meshes: what an undo brings back is made ready once more.
    void keepOnly(const std::vector<std::shared_ptr<const Mesh>>& meshes);
    Job& job() { return m_making; }

signals:
    void ready();

private:
    using Values = std::shared_ptr<const std::vector<float>>;
    struct Entry {
        Drawable drawable;
        std::map<std::pair<Tint, std::shared_ptr<const Deviation>>, Values> values;
    };
    std::optional<Drawable> of(const Wanted& wanted) const;

    std::map<const Mesh*, Entry> m_entries;
    std::vector<Wanted> m_asked;  // of the job that runs
    Job m_making;
};

}  // namespace um::app
