#include "app/desks/DrawableStore.h"

#include "measure/TexelUse.h"

namespace um::app {
namespace {

bool hasValues(const Wanted& wanted) {
    return (wanted.tint == Tint::Deviation && wanted.evidence) || wanted.tint == Tint::Texels;
}

std::pair<Tint, std::shared_ptr<const Deviation>> keyOf(const Wanted& wanted) {
    return {wanted.tint, wanted.tint == Tint::Deviation ? wanted.evidence : nullptr};
}

std::shared_ptr<const std::vector<float>> valuesFor(const Wanted& wanted, const DrawMesh& drawn) {
    if (wanted.tint == Tint::Texels) {
        const std::vector<float> atWedge = texelsPerUnit(*wanted.mesh);
        // Without attributes to draw, vertices are drawn; those at a seam take the value of one of its sides.
        if (drawn.drawsWedges || wanted.mesh->wedges.empty())
            return std::make_shared<const std::vector<float>>(atWedge);
        auto atVertex = std::make_shared<std::vector<float>>(wanted.mesh->vertexCount());
        for (std::size_t t = 0; t < wanted.mesh->triangleCount(); ++t)
            for (std::size_t corner = 0; corner < 3; ++corner)
                (*atVertex)[wanted.mesh->triangles[t][corner]] = atWedge[wanted.mesh->wedgesOf(TriangleId(t))[corner]];
        return atVertex;
    }
    const std::vector<float>& atVertex =
        wanted.isSource ? wanted.evidence->atSourceVertex : wanted.evidence->atLevelVertex;
    // The evidence's own, without a copy.
    if (!drawn.drawsWedges) return {wanted.evidence, &atVertex};
    return std::make_shared<const std::vector<float>>(valuesOfDrawn(drawn, atVertex));
}

}  // namespace

void DrawableStore::keep(const std::shared_ptr<const Mesh>& mesh, const Drawable& drawable) {
    m_entries[mesh.get()] = {drawable, {}};
}

std::optional<Drawable> DrawableStore::of(const Wanted& wanted) const {
    const auto entry = m_entries.find(wanted.mesh.get());
    if (entry == m_entries.end()) return std::nullopt;
    Drawable drawable = entry->second.drawable;
    if (!hasValues(wanted)) return drawable;
    const auto values = entry->second.values.find(keyOf(wanted));
    if (values == entry->second.values.end()) return std::nullopt;
    drawable.values = values->second;
    return drawable;
}

std::optional<std::pair<Drawable, Drawable>> DrawableStore::ask(const Wanted& first, const Wanted& second) {
    const auto one = of(first), other = of(second);
    if (one && other) return std::pair(*one, *other);
    std::vector<std::pair<Wanted, Drawable>> missing;
    std::vector<Wanted> all = {first};
    if (!(second == first)) all.push_back(second);
    for (const Wanted& wanted : all) {
        if (of(wanted)) continue;
        const auto entry = m_entries.find(wanted.mesh.get());
        missing.emplace_back(wanted, entry != m_entries.end() ? entry->second.drawable : Drawable{});
    }
    std::vector<Wanted> asked;
    for (const auto& entry : missing) asked.push_back(entry.first);
    if (m_making.isRunning() && asked == m_asked) return std::nullopt;
    m_asked = std::move(asked);
    m_making.start([this, missing](const Progress& progress) -> Job::Delivery {
        std::vector<std::tuple<Wanted, Drawable, Values>> made;
        for (std::size_t i = 0; i < missing.size(); ++i) {
            auto [wanted, drawable] = missing[i];
            const double share = 1.0 / double(missing.size());
            if (!drawable.full)
                drawable = makeDrawable(wanted.mesh, progress.span(share * double(i), share * double(i + 1)));
            made.emplace_back(wanted, drawable, hasValues(wanted) ? valuesFor(wanted, *drawable.full) : nullptr);
        }
        return [this, made] {
            for (const auto& [wanted, drawable, values] : made) {
                Entry& entry = m_entries[wanted.mesh.get()];
                entry.drawable = drawable;
                // A level has one evidence; the source those of its levels, of which the last few are kept.
                constexpr std::size_t most = 12;
                if (!wanted.isSource || entry.values.size() >= most) entry.values.clear();
                if (values) entry.values[keyOf(wanted)] = values;
            }
            emit ready();
        };
    });
    return std::nullopt;
}

void DrawableStore::keepOnly(const std::vector<std::shared_ptr<const Mesh>>& meshes) {
    std::erase_if(m_entries, [&](const auto& entry) {
        return std::none_of(meshes.begin(), meshes.end(), [&](const auto& mesh) { return mesh.get() == entry.first; });
    });
}

}  // namespace um::app
