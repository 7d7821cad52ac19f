#include "document/Report.h"

#include "bake/LookDifference.h"
#include "base/File.h"
#include "base/Units.h"
#include "draw/Picture.h"
#include "measure/PixelLoad.h"
#include "measure/ShapeChange.h"
#include "measure/Silhouette.h"
#include "measure/TexelUse.h"
#include "measure/TextureDrift.h"

#include <cmath>
#include <optional>

namespace um {

namespace {

constexpr int pictureSize = 200;
constexpr int views = 26;
constexpr std::size_t mostParts = 100;

const std::array<Direction, 4> fixedDirections = {{{35, 15}, {0, 0}, {215, 25}, {90, 60}}};

struct Judged {
    const Level* level;
    Deviation deviation;
    Silhouette silhouette;
    ShapeChange shape;
    PixelLoad load;
    std::optional<TextureDrift> drift;  // where both have UVs
};

std::string base64(const std::string& bytes) {
    static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t word = 0;
        for (std::size_t k = 0; k < 3; ++k) word = word << 8 | (i + k < bytes.size() ? std::uint8_t(bytes[i + k]) : 0u);
        for (std::size_t k = 0; k < 4; ++k) text += i + k <= bytes.size() ? digits[word >> (18 - 6 * k) & 63] : '=';
    }
    return text;
}

std::string escaped(const std::string& text) {
    std::string result;
    for (const char c : text) {
        if (c == '<')
            result += "&lt;";
        else if (c == '&')
            result += "&amp;";
        else
            result += c;
    }
    return result;
}

std::string image(const Picture& picture, const std::string& what) {
    return "<img alt=\"" + escaped(what) + "\" width=\"" + std::to_string(picture.width) + "\" height=\"" +
           std::to_string(picture.height) + "\" src=\"data:image/png;base64," + base64(pngOf(picture)) + "\">";
}

// Of shape alone.
std::string hashOf(const Mesh& mesh) {
    return hashBytes({std::as_bytes(std::span(mesh.positions)), std::as_bytes(std::span(mesh.triangles))});
}

Picture histogramOf(const Deviation& deviation, double tolerance, double range) {
    constexpr int bins = 35, barWidth = 6, height = 60;
    const std::vector<double> shares = deviation.distribution.histogram(bins, range);
    double most = 1e-12;
    for (const double share : shares) most = std::max(most, std::sqrt(share));
    Picture picture(bins * barWidth, height, {248, 246, 241});
    for (int i = 0; i < bins; ++i) {
        const double middle = ((i + 0.5) / bins * 2 - 1) * range;
        const Rgb color = std::abs(middle) <= tolerance ? Rgb{190, 182, 165}
                          : middle < 0                  ? Rgb{44, 95, 138}
                                                        : Rgb{201, 128, 15};
        const int tall = int(std::lround(std::sqrt(shares[std::size_t(i)]) / most * (height - 2)));
        for (int y = height - tall; y < height; ++y)
            for (int x = 0; x + 1 < barWidth; ++x) picture.at(i * barWidth + x, y) = color;
    }
    return picture;
}

std::string row(const std::vector<std::string>& cells, const char* kind = "td") {
    std::string text = "<tr>";
    for (const std::string& cell : cells)
        text += std::string("<") + kind + (&cell == &cells.front() ? " align=\"left\">" : " align=\"right\">") + cell +
                "</" + kind + ">";
    return text + "</tr>\n";
}

std::string findingsOf(const std::string& name, const Mesh& mesh, const Progress& progress) {
    std::string list;
    for (const Finding& finding : findFaults(mesh, progress))
        list += "<li>" + escaped(describeFinding(finding, mesh.metresPerUnit)) + ". <span>" +
                escaped(whyItMatters(finding.fault)) + "</span></li>\n";
    return "<h3>" + escaped(name) + "</h3>\n" +
           (list.empty() ? "<p>Nothing is wrong with it.</p>\n" : "<ul>\n" + list + "</ul>\n");
}

constexpr const char* style = R"(
body { font-family: Inter, sans-serif; color: #1F2D36; background: #F8F6F1; margin: 28px; font-size: 13px; }
h1 { font-size: 22px; } h2 { font-size: 15px; margin-top: 26px; } h3 { font-size: 13px; }
table { border-collapse: collapse; } td, th { padding: 3px 12px 3px 0; } th { color: #6C7A80; font-weight: normal; }
span, p.soft { color: #6C7A80; }
)";

}  // namespace

std::string reportHtml(const Document& document, const std::string& date, const Progress& progress) {
    const Mesh& source = *document.source;
    const double metres = source.metresPerUnit;
    const auto length = [&](double value) { return formatLength(value * metres); };
    const double tall = standingHeight(source);
    const double distance =
        document.viewerDistance > 0 ? document.viewerDistance : document.screen.distance(tall * metres, 100);
    const double pixels = document.screen.pixels(tall * metres, distance);
    std::vector<Judged> judged;
    const double share = 0.7 / double(std::max<std::size_t>(1, document.levels.size()));
    for (std::size_t i = 0; i < document.levels.size(); ++i) {
        const Level& level = document.levels[i];
        const double at = share * double(i);
        Deviation deviation = level.evidence
                                  ? *level.evidence
                                  : measureDeviation(source, *level.mesh, {}, progress.span(at, at + share / 2));
        const double height = std::min(pixels, mostHeightPixels(source, *level.mesh));
        Judged one{
            &level,
            std::move(deviation),
            measureSilhouette(source, *level.mesh, {views, height, 4}, progress.span(at + share / 2, at + 0.8 * share)),
            measureShapeChange(source, *level.mesh, progress.span(at + 0.8 * share, at + 0.9 * share)),
            measurePixelLoad(*level.mesh, views, height / tall, progress.span(at + 0.9 * share, at + share)),
            std::nullopt};
        if (!source.uvs.empty() && !level.mesh->uvs.empty())
            one.drift = measureTextureDrift(source, *level.mesh, progress.span(at + share, at + share));
        judged.push_back(std::move(one));
    }
    std::string html = "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                       escaped(document.name) + ": evidence</title><style>" + style + "</style></head><body>\n";
    html += "<h1>" + escaped(document.name) + ": evidence</h1>\n<p class=\"soft\">" + escaped(date) + " · tolerance " +
            formatLength(document.tolerance) + " · seen on " + formatScreen(document.screen) + " at " +
            formatLength(distance) + ", where the source is " + formatNumber(std::round(pixels)) + " px tall</p>\n";

    html += "<h2>Deviation from the source, both ways</h2>\n<table>\n" +
            row({"", "triangles", "share", "draws", "within", "max", "at most", "rms", "mean", "p95", "p99"}, "th");
    html += row({"Source", formatCount(source.triangleCount()), "", formatCount(source.sections.size()), "", "", "", "",
                 "", "", ""});
    for (const Judged& one : judged) {
        const Deviation& d = one.deviation;
        const Mesh& mesh = *one.level->mesh;
        html += row({escaped(one.level->name), formatCount(mesh.triangleCount()),
                     formatNumber(100.0 * double(mesh.triangleCount()) / double(source.triangleCount())) + " %",
                     formatCount(mesh.sections.size()),
                     formatNumber(100 * d.distribution.shareWithin(document.tolerance / metres)) + " %", length(d.max),
                     length(d.maxBound), length(d.rms), length(d.mean), length(d.p95), length(d.p99)});
    }
    html += "</table>\n";
    for (const Judged& one : judged) {
        const double range = std::max(2 * document.tolerance / metres, 1.2 * one.deviation.p99);
        html += "<h3>" + escaped(one.level->name) + "</h3>\n" + "<p>" +
                image(histogramOf(one.deviation, document.tolerance / metres, range), "histogram") +
                "</p>\n<p class=\"soft\">inside −" + length(range) + " … within ±" + formatLength(document.tolerance) +
                " … outside +" + length(range) + "</p>\n";
    }

    if (source.parts.size() > 1) {
        html += "<h2>Largest deviation of each part</h2>\n<table>\n";
        std::vector<std::string> heads = {""};
        for (const Judged& one : judged) heads.push_back(escaped(one.level->name));
        html += row(heads, "th");
        for (std::size_t part = 0; part < std::min(source.parts.size(), mostParts); ++part) {
            std::vector<std::string> cells = {escaped(source.parts[part].name)};
            for (const Judged& one : judged) cells.push_back(length(one.deviation.byPart[part].max));
            html += row(cells);
        }
        html += "</table>\n";
        if (source.parts.size() > mostParts)
            html += "<p class=\"soft\">Of " + formatCount(source.parts.size()) + " parts the first " +
                    formatCount(mostParts) + ".</p>\n";
    }

    html += "<h2>Shading and size</h2>\n<table>\n" +
            row({"", "shading turned, mean", "p95", "area", "volume", "texture drift, mean", "p95"}, "th");
    for (const Judged& one : judged)
        html += row({escaped(one.level->name), formatNumber(one.shape.meanTurn) + "°",
                     formatNumber(one.shape.p95Turn) + "°", formatNumber(100 * one.shape.areaRatio) + " %",
                     formatNumber(100 * one.shape.volumeRatio) + " %", one.drift ? length(one.drift->mean) : "no UVs",
                     one.drift ? length(one.drift->p95) : ""});
    html += "</table>\n";

    html += "<h2>Cost at " + formatLength(distance) + "</h2>\n<table>\n" +
            row({"", "pixels a triangle", "under 4 px", "overdraw"}, "th");
    const auto loadRow = [&](const std::string& name, const PixelLoad& load) {
        html += row({escaped(name), formatNumber(load.pixelsPerTriangle), formatNumber(100 * load.underFour) + " %",
                     formatNumber(load.overdraw)});
    };
    const double pixelsPerUnit = std::min(pixels, mostHeightPixels(source, source)) / tall;
    loadRow("Source", measurePixelLoad(source, views, pixelsPerUnit, progress.span(0.7, 0.7)));
    for (const Judged& one : judged) loadRow(one.level->name, one.load);
    html += "</table>\n";
    const std::vector<TexelUse> texels = measureTexelUse(source);
    if (!texels.empty()) {
        html += "<table>\n" + row({"", "texture", "texels a pixel", "would do", "stretched"}, "th");
        for (const TexelUse& use : texels)
            html += row({escaped(source.materials[use.material].name),
                         formatCount(std::size_t(use.width)) + " x " + formatCount(std::size_t(use.height)),
                         formatNumber(use.density / pixelsPerUnit),
                         formatCount(std::size_t(use.enough(pixelsPerUnit))) + " px",
                         formatNumber(100 * use.stretched) + " %"});
        html += "</table>\n";
    }

    const bool isTextured =
        std::any_of(judged.begin(), judged.end(), [](const Judged& one) { return !one.level->mesh->textures.empty(); });
    if (isTextured) {
        html += "<h2>Look at " + formatLength(distance) + ", lit, in CIELAB</h2>\n<table>\n" +
                row({"", "off on average", "p95", "from the worst side", "which is", "baked"}, "th");
        std::vector<std::string> unreadable;
        const SurfaceMaterial own(source, unreadable);
        for (const Judged& one : judged) {
            const LookDifference look = measureLook(own, SurfaceMaterial(*one.level->mesh, unreadable), pixelsPerUnit,
                                                    progress.span(0.75, 0.75));
            std::string baked = "no";
            if (one.level->bake)
                baked = formatCount(std::size_t(one.level->bake->sheet)) + " px, " +
                        formatCount(one.level->bake->missed) + " of " + formatCount(one.level->bake->covered) +
                        " texels missed";
            html += row({escaped(one.level->name), formatNumber(look.mean), formatNumber(look.p95),
                         formatNumber(look.worst), describe(Direction{look.azimuth, look.elevation}), baked});
        }
        html += "</table>\n";
    }

    html += "<h2>Outlines from " + std::to_string(views) + " directions at " + formatNumber(std::round(pixels)) +
            " px</h2>\n<table>\n" + row({"", "at most", "mean", "area", "lost", "grown", "worst"}, "th");
    for (const Judged& one : judged) {
        const Silhouette& s = one.silhouette;
        html += row({escaped(one.level->name), formatNumber(s.max) + " px", formatNumber(s.mean) + " px",
                     formatNumber(100 * s.areaShare) + " %", formatNumber(100 * s.lost) + " %",
                     formatNumber(100 * s.grown) + " %", describe(s.directions[s.worst])});
    }
    html += "</table>\n<h3>By direction, in px: at most (mean)</h3>\n<table>\n";
    std::vector<std::string> names = {""};
    for (const Judged& one : judged) names.push_back(escaped(one.level->name));
    html += row(names, "th");
    const std::vector<Direction> directions = viewDirections(views);
    for (std::size_t i = directions.size() / 2; i < directions.size(); ++i) {
        std::vector<std::string> cells = {describe(directions[i])};
        for (const Judged& one : judged) {
            const OutlineDifference& view = one.silhouette.views[i];
            cells.push_back(formatNumber(view.max) + " (" + formatNumber(view.mean) + ")");
        }
        html += row(cells);
    }
    html += "</table>\n<p class=\"soft\">From the opposite side each outline is the same, mirrored.</p>\n";

    html += "<h2>The same views of all</h2>\n<p class=\"soft\">";
    for (const Direction& direction : fixedDirections) html += describe(direction) + " · ";
    html += "then at " + formatLength(distance) + ", at true size</p>\n";
    const Vec3d middle = boundingBox(source).center().cast<double>();
    const double close = 0.94 * pictureSize / std::max(1e-30, diagonal(source));
    const auto pictures = [&](const std::string& name, const Mesh& mesh) {
        html += "<h3>" + escaped(name) + "</h3>\n<p>";
        for (const Direction& direction : fixedDirections) {
            progress.check();
            html += image(drawClay(mesh, {direction.turn(), middle, close}, pictureSize, pictureSize),
                          name + " " + describe(direction)) +
                    " ";
        }
        const int size = std::clamp(int(std::ceil(diagonal(source) * pixels / tall)) + 4, 16, 400);
        html += image(drawClay(mesh, {fixedDirections[0].turn(), middle, pixels / tall}, size, size),
                      name + " at true size") +
                "</p>\n";
    };
    pictures("Source", source);
    progress.at(0.8);
    for (const Judged& one : judged) pictures(one.level->name, *one.level->mesh);

    html += "<h2>Findings</h2>\n" + findingsOf("Source", source, progress.span(0.8, 0.95));
    for (const Judged& one : judged) html += findingsOf(one.level->name, *one.level->mesh, progress.span(0.95, 0.95));

    html += "<h2>How it was made</h2>\n<table>\n" + row({"", "target", "hash of shape"}, "th") +
            row({"Source", escaped(document.sourceFile.filename().string()), hashOf(source)});
    for (const Judged& one : judged)
        html += row({escaped(one.level->name), escaped(one.level->recipe.target), hashOf(*one.level->mesh)});
    html +=
        "</table>\n<p>Protect: " + escaped(formatProtect(document.care.protect)) + " · silhouette weight " +
        formatNumber(document.care.silhouetteWeight) +
        (document.care.dropLoose.empty() ? "" : " · loose parts dropped under " + escaped(document.care.dropLoose)) +
        (document.care.isThorough ? " · thorough" : "") +
        (document.sourceHash.empty() ? "" : " · the source's file " + document.sourceHash) + "</p>\n";
    for (const PartGuard& guard : document.care.guard.parts)
        html += "<p>Guard: " + escaped(guard.part) + " " + formatGuard(guard.value) + "</p>\n";
    progress.at(1);
    return html + "</body></html>\n";
}

}  // namespace um
