#include "app/desks/OutlineWatch.h"

#include "app/theme/Theme.h"
#include "app/viewport/Viewport.h"
#include "draw/Coverage.h"

#include <cmath>
#include <utility>

namespace um::app {
namespace {

// The viewer is often dragged on at once.
constexpr int outlineDelay = 300;

// Samples along a pixel of the viewport's picture.
constexpr int across = 2;

// From positions to the pixels of a picture, as homogeneous x, y and w.
Eigen::Matrix<double, 3, 4> toPixels(const Camera& camera, const QSize& size) {
    const Eigen::Matrix4d clip =
        camera.projection(double(size.width()) / size.height()).cast<double>() * camera.view().cast<double>();
    Eigen::Matrix<double, 3, 4> project;
    project.row(0) = size.width() / 2.0 * (clip.row(3) + clip.row(0));
    project.row(1) = size.height() / 2.0 * (clip.row(3) - clip.row(1));
    project.row(2) = clip.row(3);
    return project;
}

// A sliver within a pixel shows as if it covered a good part of it.
int plain(std::uint8_t coverage) {
    return int(std::lround(255 * std::sqrt(coverage / 255.0)));
}

QImage pictureOf(const OutlinePair& pair, const Theme& theme) {
    const CoverageMask lost = coverageOf(difference(pair.source, pair.level), across);
    const CoverageMask grown = coverageOf(difference(pair.level, pair.source), across);
    QImage picture(lost.width, lost.height, QImage::Format_ARGB32_Premultiplied);
    for (int y = 0; y < lost.height; ++y) {
        auto* row = reinterpret_cast<QRgb*>(picture.scanLine(y));
        for (int x = 0; x < lost.width; ++x) {
            const int brick = plain(lost.at(x, y)), blue = plain(grown.at(x, y));
            const auto mix = [&](int ofBrick, int ofBlue) {
                return std::min(255, (ofBrick * brick + ofBlue * blue) / 255);
            };
            row[x] = qRgba(mix(theme.brick.red(), theme.blue.red()), mix(theme.brick.green(), theme.blue.green()),
                           mix(theme.brick.blue(), theme.blue.blue()), std::min(255, brick + blue));
        }
    }
    return picture;
}

}  // namespace

OutlineWatch::OutlineWatch(Viewport& viewport, QObject* parent) : QObject(parent), m_viewport(viewport) {
    m_soon.setSingleShot(true);
    m_soon.setInterval(outlineDelay);
    connect(&m_soon, &QTimer::timeout, this, [this] {
        if (!m_pair) return;
        m_allSides.start(
            [this, pair = m_pair, height = m_heightPixels, known = m_known](const Progress& progress) mutable {
                auto found = std::make_shared<const Silhouette>(measureAllSides(*pair, height, known, progress));
                return [this, found, known] {
                    m_silhouette = found;
                    m_known = known;
                    emit measured();
                };
            });
    });
    connect(&m_viewport, &Viewport::cameraChanged, this, &OutlineWatch::cameraMoved);
    connect(&m_viewport, &Viewport::resized, this, &OutlineWatch::cameraMoved);
    connect(&m_here, &Job::ended, this, [this] {
        if (std::exchange(m_hereWaits, false)) compareFromHere();
    });
    connect(&m_drawing, &Job::ended, this, [this] {
        if (std::exchange(m_pictureWaits, false)) drawPicture();
    });
}

Silhouette OutlineWatch::measureAllSides(const Pair& pair, double heightPixels, std::shared_ptr<const AllSides>& known,
                                         const Progress& progress) {
    SilhouetteSettings settings;
    settings.heightPixels = heightPixels;
    // Larger ones would take hundreds of megabytes.
    constexpr double mostKeptPixels = 1024;
    if (heightPixels > mostKeptPixels) {
        known.reset();
        return measureSilhouette(pair.source->contour, pair.level, settings, progress);
    }
    if (!known || known->source != pair.source || known->outlines.settings().heightPixels != heightPixels)
        known = std::make_shared<const AllSides>(
            AllSides{pair.source, SourceOutlines(pair.source->contour, settings, progress.span(0, 0.75))});
    return measureSilhouette(known->outlines, pair.level, progress.span(0.75, 1));
}

bool OutlineWatch::isIdle() const {
    return !m_preparing.isRunning() && !m_soon.isActive() && !m_allSides.isRunning() && !m_here.isRunning() &&
           !m_drawing.isRunning();
}

void OutlineWatch::watch(std::shared_ptr<const Mesh> source, std::shared_ptr<const Mesh> level, double heightPixels) {
    if (!level || level == source || !(heightPixels >= 1)) level.reset();
    const bool isSamePair = source == m_source && level == m_level;
    if (isSamePair && std::abs(heightPixels - m_wantedHeight) < 1e-6 * heightPixels) return;
    if (source != m_source) {
        m_ready.reset();
        m_known.reset();
    }
    m_source = std::move(source);
    m_level = std::move(level);
    m_wantedHeight = heightPixels;
    if (isSamePair) {
        compare();
        return;
    }
    m_pair.reset();
    compare();
    if (m_level) preparePair();
}

void OutlineWatch::preparePair() {
    m_preparing.start([this, ready = m_ready, source = m_source, level = m_level](const Progress&) -> Job::Delivery {
        const auto own = ready ? ready : std::make_shared<const Source>(source);
        const auto pair = std::make_shared<const Pair>(own, level);
        return [this, pair] {
            if (pair->source->mesh != m_source || pair->levelMesh != m_level) return;
            m_ready = pair->source;
            m_pair = pair;
            compare();
        };
    });
}

// Everything anew; what is known belongs to another pair or size.
void OutlineWatch::compare() {
    // Nearer than that the player sees only a part of it anyway.
    m_heightPixels = m_pair ? std::min(m_wantedHeight, m_pair->mostHeightPixels) : m_wantedHeight;
    m_silhouette.reset();
    m_allSides.cancel();
    m_soon.stop();
    emit measured();
    if (m_pair) m_soon.start();
    cameraMoved();
}

void OutlineWatch::setPictureWanted(bool wanted) {
    if (std::exchange(m_pictureWanted, wanted) != wanted) drawPicture();
}

void OutlineWatch::cameraMoved() {
    if (!m_pair) emit seenFromHere(std::nullopt);
    compareFromHere();
    drawPicture();
}

void OutlineWatch::compareFromHere() {
    if (!m_pair) return;
    m_hereWaits = m_here.isRunning();
    if (m_hereWaits) return;
    const double pixelsPerUnit = m_heightPixels / m_pair->source->standingHeight;
    m_here.start(
        [this, pair = m_pair, turn = m_viewport.camera().turn(), pixelsPerUnit](const Progress&) -> Job::Delivery {
            const OutlineDifference found =
                compareFrom(pair->source->contour, pair->level, turn, pixelsPerUnit, SilhouetteSettings().across);
            return [this, found, pair] {
                if (pair == m_pair) emit seenFromHere(found);
            };
        });
}

void OutlineWatch::drawPicture() {
    // The old one belongs to another view.
    emit pictureChanged({});
    if (!m_pair || !m_pictureWanted) return;
    m_pictureWaits = m_drawing.isRunning();
    if (m_pictureWaits) return;
    const QSize size = m_viewport.placeOf(false).size() * m_viewport.devicePixelRatioF();
    if (size.isEmpty()) return;
    m_drawing.start([this, pair = m_pair, camera = m_viewport.camera(), size,
                     colors = theme()](const Progress& progress) -> Job::Delivery {
        const OutlinePair drawn = drawOutlines(pair->source->contour, pair->level, toPixels(camera, size), size.width(),
                                               size.height(), across, progress);
        return [this, picture = pictureOf(drawn, colors), pair, camera] {
            if (pair == m_pair && m_pictureWanted && camera == m_viewport.camera()) emit pictureChanged(picture);
        };
    });
}

}  // namespace um::app
