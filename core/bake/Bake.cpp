#include "bake/Bake.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Normals.h"
#include "mesh/UvMap.h"

#include <algorithm>

namespace um {
namespace {

void requireOwnPlaces(const Mesh& level, const Progress& progress) {
    if (level.uvs.empty()) throw InputError("The level has no UVs to keep; let it be unwrapped.");
    for (const Vec2f& uv : level.uvs)
        if (!(uv.minCoeff() >= -1e-4f && uv.maxCoeff() <= 1 + 1e-4f))
            throw InputError(
                "The level's UVs go beyond 0 to 1, so that a sheet cannot hold them; let it be unwrapped.");
    Mesh one = level;
    for (Section& section : one.sections) section.material = 0;
    if (findUvOverlap(one, progress).materials > 0)
        throw InputError(
            "The level's UVs lie over one another, so that places would share texels; let it be unwrapped.");
}

void sayWhatCameOfIt(Baked& baked) {
    if (baked.sheets > 1)
        baked.notes.push_back(std::to_string(baked.sheets) + " sheets are used, each with its material.");
    if (baked.level.materials.size() > std::size_t(baked.sheets))
        baked.notes.push_back(
            "What is transparent, cut out or seen from both sides is drawn in another way than the rest: " +
            std::to_string(baked.level.materials.size()) + " materials share " +
            (baked.sheets > 1 ? "the sheets." : "the sheet."));
    for (const Finding& hog : findHogs(baked.parts)) baked.notes.push_back(hog.detail + ": give it a smaller factor.");
}

}  // namespace

Baked bake(const Mesh& source, const Mesh& level, const BakeSettings& settings, const Progress& progress) {
    requireSound(source, "the source");
    Baked baked;
    baked.sheetSize = settings.transfer.size;
    UnwrapSettings unwrapping = settings.unwrap;
    std::vector<int> sheetOf(level.triangleCount(), 0);
    requireSound(level, "the level");
    const std::vector<double> seen = seenSamples(level, progress.span(0, 0.03));
    if (settings.keepUvs) {
        requireOwnPlaces(level, progress.span(0, 0.1));
        baked.level = level;
    } else {
        unwrapping.pack.size = settings.transfer.size;
        unwrapping.charts.exposure = exposureOf(level, seen);
        if (settings.share != SheetShare::Area || !settings.factors.empty())
            unwrapping.weights = shareWeights(level, settings.share, settings.factors, progress.span(0.03, 0.05));
        baked.unwrapped = unwrap(level, unwrapping, progress.span(0.05, 0.2));
        baked.level = std::move(baked.unwrapped.mesh);
        baked.sheets = baked.unwrapped.sheets;
        for (TriangleId t = 0; t < sheetOf.size(); ++t)
            sheetOf[t] = baked.unwrapped.sheetOf[baked.unwrapped.chartOf[t]];
    }
    baked.parts = partShares(baked.level, seen);
    // Where normals part but the sheet does not, filtering would mix what belongs to either side.
    if (!settings.keepUvs)
        makeNormals(baked.level, unwrapping.charts.creaseDegrees, baked.unwrapped.chartOf);
    else if (baked.level.normals.empty())
        makeNormals(baked.level, 180);
    const SurfaceMaterial material(source, baked.notes);
    const Cage cage = makeCage(source, level, settings.cage, progress.span(0.2, 0.3));
    baked.deepest = *std::max_element(cage.depths.begin(), cage.depths.end());
    if (settings.dress.channels.height) baked.heightSpan = baked.deepest;
    // One sheet after another, so that only one is held. What is dressed is a copy: triangles change places only then.
    Mesh dressed = baked.level;
    Dressing dressing(dressed, sheetOf, baked.sheets, settings.dress);
    const std::vector<std::vector<TriangleId>> lying = trianglesBySheet(sheetOf, baked.sheets);
    for (int i = 0; i < baked.sheets; ++i) {
        const Progress own = progress.span(0.3 + 0.7 * i / baked.sheets, 0.3 + 0.7 * (i + 1) / baked.sheets);
        Sheet sheet =
            transfer(material, baked.level, lying[std::size_t(i)], cage, settings.transfer, own.span(0, 0.85));
        dilate(sheet);
        baked.covered += sheet.covered;
        baked.missed += sheet.missed;
        for (ExtraImage& extra : extraImages(sheet, settings.dress, i, baked.heightSpan))
            baked.extras.push_back(std::move(extra));
        dressing.add(sheet, own.span(0.85, 1));
    }
    dressing.finish();
    baked.level = std::move(dressed);
    baked.unwrapped.chartOf.clear();  // triangles have changed places
    sayWhatCameOfIt(baked);
    progress.at(1);
    return baked;
}

std::string sentenceOnMisses(std::size_t missed, std::size_t covered) {
    return formatCount(missed) + " of " + formatCount(covered) +
           " texels found nothing of the source within the cage, and show what is nearest in the sheet.";
}

}  // namespace um
