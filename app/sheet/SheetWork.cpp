#include "app/sheet/SheetWork.h"

#include "base/Error.h"
#include "chain/BakeLevel.h"
#include "document/Edits.h"
#include "files/Image.h"
#include "measure/Probe.h"
#include "mesh/Materials.h"

#include <cmath>

namespace um::app {
namespace {

constexpr int fillingSize = 512;
constexpr QRgb emptyPixel = qRgb(206, 209, 207);

std::uint8_t screenValue(float light) {
    return std::uint8_t(std::lround(255 * std::pow(std::clamp(double(light), 0.0, 1.0), 1 / 2.2)));
}

// The texels of a square that is done, as many as the small picture has room for.
void fillIn(QImage& image, const Sheet& sheet, int left, int top, int across) {
    const double texels = double(sheet.size) / image.width();
    const auto pixelOf = [&](int texel) { return std::min(image.width(), int(std::ceil(texel / texels))); };
    for (int y = pixelOf(top); y < pixelOf(std::min(sheet.size, top + across)); ++y)
        for (int x = pixelOf(left); x < pixelOf(std::min(sheet.size, left + across)); ++x) {
            const std::size_t place = sheet.placeOf(int(x * texels), int(y * texels));
            if (sheet.states[place] == Sheet::State::Empty) {
                image.setPixel(x, y, emptyPixel);  // of the sheet before there may be something
                continue;
            }
            const Vec3f color = sheet.texels[place].unpacked().baseColor;
            image.setPixel(x, y,
                           sheet.states[place] == Sheet::State::Missed
                               ? qRgb(200, 40, 30)
                               : qRgb(screenValue(color.x()), screenValue(color.y()), screenValue(color.z())));
        }
}

// What each material looks like: its picture's middle tone and pattern on a few pixels.
std::vector<QImage> swatchesOf(const Mesh& mesh) {
    constexpr int size = 28;
    std::vector<QImage> swatches(mesh.materials.size());
    const std::vector<std::uint8_t> isUsed = usedMaterials(mesh);
    for (std::size_t m = 0; m < swatches.size(); ++m) {
        if (isUsed[m] == 0) continue;
        const Material& material = mesh.materials[m];
        QImage image(size, size, QImage::Format_RGB32);
        image.fill(Qt::white);
        if (material.baseColorTexture) {
            const std::string& bytes = *mesh.textures[std::size_t(material.baseColorTexture.texture)].bytes;
            const QImage read = QImage::fromData(reinterpret_cast<const uchar*>(bytes.data()), int(bytes.size()));
            if (!read.isNull())
                image = read.scaled(size, size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation)
                            .convertToFormat(QImage::Format_RGB32);
        }
        const auto factor = [&](std::size_t k) {
            return encodedLight(double(std::clamp(material.baseColor[k], 0.0f, 1.0f)));
        };
        for (int y = 0; y < size; ++y)
            for (int x = 0; x < size; ++x) {
                const QRgb pixel = image.pixel(x, y);
                image.setPixel(
                    x, y,
                    qRgb(int(qRed(pixel) * factor(0)), int(qGreen(pixel) * factor(1)), int(qBlue(pixel) * factor(2))));
            }
        swatches[m] = image;
    }
    return swatches;
}

}  // namespace

SheetWork::SheetWork(DocumentModel& model, QObject* parent) : QObject(parent), m_model(model) {
    constexpr int lookEvery = 150;  // milliseconds
    m_looking.setInterval(lookEvery);
    connect(&m_looking, &QTimer::timeout, this, [this] {
        const std::lock_guard lock(m_filling->mutex);
        emit filledIn(m_filling->level, m_filling->image.copy());
    });
    connect(&m_baking, &Job::ended, &m_looking, &QTimer::stop);
}

void SheetWork::bake(std::size_t number) {
    if (!m_model.isOpen() || m_baking.isRunning()) return;
    const Document& document = m_model.document();
    if (number >= document.levels.size()) return;
    Level level = document.levels[number];
    const std::shared_ptr<const Mesh> shown = level.mesh;
    // Baked again, it comes from what it was before.
    if (level.bake && level.bake->bare) level.mesh = level.bake->bare;
    m_filling = std::make_shared<Filling>();
    m_filling->level = shown;
    m_filling->image = QImage(fillingSize, fillingSize, QImage::Format_RGB32);
    m_filling->image.fill(emptyPixel);
    m_looking.start();
    m_baking.start([this, source = document.source, shown, level, choice = document.bake, screen = document.screen,
                    seenAt = document.viewerDistance, filling = m_filling](const Progress& progress) -> Job::Delivery {
        Level baked = level;
        const std::vector<std::string> notes = bakeLevel(baked, *source, choice, screen, seenAt, progress,
                                                         [filling](const Sheet& sheet, int left, int top, int across) {
                                                             const std::lock_guard lock(filling->mutex);
                                                             fillIn(filling->image, sheet, left, top, across);
                                                         });
        return [this, source, shown, baked, notes] {
            if (source != m_model.document().source) return;  // another was put in its place, or opened
            auto next = withBakedLevel(m_model.document(), shown, baked.mesh, *baked.bake);
            if (!next) return;  // undone or removed meanwhile
            m_model.change(tr("Bake %1").arg(QString::fromStdString(baked.name)), std::move(*next));
            QStringList sentences;
            for (const std::string& note : notes) sentences += QString::fromStdString(note);
            if (!sentences.isEmpty()) emit said(sentences.join(' '));
        };
    });
}

void SheetWork::makeReady(std::shared_ptr<const Mesh> mesh, std::uint32_t material, SheetValue value,
                          std::vector<std::shared_ptr<const std::string>> misses) {
    m_reading.start([this, mesh, material, value, misses](const Progress& progress) -> Job::Delivery {
        auto content = std::make_shared<const SheetContent>(makeSheetContent(mesh, material, value, misses, progress));
        return [this, content] { emit contentReady(content); };
    });
}

void SheetWork::lookUp(std::shared_ptr<const Mesh> mesh, const Vec3d& from, const Vec3d& direction) {
    m_lookingUp.start([this, mesh, from, direction](const Progress&) -> Job::Delivery {
        const auto hit = firstHit(*mesh, from, direction);
        if (!hit) return {};
        return [this, mesh, hit] { emit met(mesh, hit->triangle, hit->place); };
    });
}

void SheetWork::makeCage(std::shared_ptr<const Mesh> level, const CageSettings& settings) {
    const auto source = m_model.document().source;
    const Asked asked{source, level, settings};
    if (asked == m_asked && m_cage.full) emit cageReady(level, m_cage);
    if (asked == m_asked && (m_cage.full || m_caging.isRunning())) return;
    m_asked = asked;
    m_cage = {};
    auto known = m_measured;
    if (known && (known->source != source || known->level != level || known->factor != settings.factor ||
                  known->depth != settings.depth))
        known.reset();
    m_caging.start([this, source, level, settings, known](const Progress& progress) -> Job::Delivery {
        auto measured = known;
        if (!measured) {
            CageSettings plain = settings;
            plain.pushes.clear();
            measured = std::make_shared<const Measured>(Measured{
                source, level, plain.factor, plain.depth, um::makeCage(*source, *level, plain, progress.span(0, 0.9))});
        }
        Cage cage = measured->cage;
        pushCage(cage, *level, settings.pushes);
        const Drawable drawable =
            makeDrawable(std::make_shared<const Mesh>(cageMesh(*level, cage)), progress.span(0.9, 1));
        return [this, level, measured, drawable] {
            m_measured = measured;
            m_cage = drawable;
            emit cageReady(level, drawable);
        };
    });
}

void SheetWork::merge(std::shared_ptr<const Mesh> mesh, const MergeSettings& settings) {
    if (m_baking.isRunning()) return;
    m_baking.start([this, mesh, settings](const Progress& progress) -> Job::Delivery {
        Merged merged = mergeMaterials(*mesh, settings, progress);
        auto after = std::make_shared<const Mesh>(std::move(merged.mesh));
        QStringList notes;
        for (const std::string& note : merged.notes) notes += QString::fromStdString(note);
        return [this, mesh, after, notes] { emit this->merged(mesh, after, notes); };
    });
}

void SheetWork::forecast(std::shared_ptr<const Mesh> mesh, const MergeSettings& settings, bool withFacts) {
    m_forecasting.start([this, mesh, settings, withFacts](const Progress& progress) -> Job::Delivery {
        std::optional<MaterialFacts> facts;
        if (withFacts) facts = {swatchesOf(*mesh), findJoinOffers(*mesh, progress.span(0, 0.4))};
        std::optional<MergeForecast> forecast;
        QString problem;
        try {
            forecast = forecastMerge(*mesh, settings, progress.span(withFacts ? 0.4 : 0, 1));
        } catch (const InputError& error) {
            problem = QString::fromUtf8(error.what());
        }
        return [this, mesh, facts, forecast, problem] {
            if (facts) emit factsKnown(mesh, *facts);
            if (forecast)
                emit forecastKnown(mesh, *forecast);
            else
                emit forecastFailed(mesh, problem);
        };
    });
}

bool SheetWork::isIdle() const {
    return !m_baking.isRunning() && !m_reading.isRunning() && !m_lookingUp.isRunning() && !m_forecasting.isRunning() &&
           !m_caging.isRunning();
}

void SheetWork::cancel() {
    for (Job* job : {&m_baking, &m_reading, &m_lookingUp, &m_forecasting, &m_caging}) job->cancel();
}

}  // namespace um::app
