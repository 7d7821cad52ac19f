#include "chain/BakeLevel.h"

#include "bake/LookDifference.h"
#include "files/MeshFile.h"
#include "measure/Silhouette.h"
#include "mesh/Join.h"

#include <algorithm>

namespace um {
namespace {

// The choice as far as it is about this level: factors of parts that it does not have are for others.
BakeChoice choiceFor(BakeChoice choice, const Mesh& level) {
    std::erase_if(choice.factors, [&](const PartFactor& factor) { return !hasPart(level, factor.part); });
    return choice;
}

}  // namespace

std::vector<std::string> bakeLevel(Level& level, const Mesh& source, const BakeChoice& choice, const Screen& screen,
                                   double seenAt, const Progress& progress,
                                   const decltype(TransferSettings::tileDone)& tileDone) {
    BakeSettings settings = settingsFor(choiceFor(choice, *level.mesh), source, screen);
    settings.dress.channels.misses = true;
    settings.transfer.tileDone = tileDone;
    std::optional<Mesh> joined;
    for (const std::string& file : choice.also) {
        if (!joined) joined = source;
        joinTo(*joined, readMesh(file, progress.span(0, 0)).mesh);
    }
    Baked baked = bake(joined ? *joined : source, *level.mesh, settings, progress.span(0, seenAt > 0 ? 0.85 : 1));
    BakeFigures figures = figuresOf(baked, source.metresPerUnit);
    figures.bare = level.mesh;
    level.mesh = std::make_shared<const Mesh>(std::move(baked.level));
    if (seenAt > 0) {
        std::vector<std::string> unreadable;
        const LookDifference look =
            measureLook(SurfaceMaterial(source, unreadable), SurfaceMaterial(*level.mesh, unreadable),
                        screen.pixels(source.metresPerUnit, seenAt), progress.span(0.85, 1));
        figures.look = {look.mean, look.worst, look.p95,
                        screen.pixels(standingHeight(source) * source.metresPerUnit, seenAt)};
    }
    level.bake = std::move(figures);
    return baked.notes;
}

}  // namespace um
