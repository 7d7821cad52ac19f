#include "app/sheet/SheetWork.h"

#include "bake/LookDifference.h"
#include "document/Edits.h"
#include "measure/Probe.h"

#include <cmath>

namespace um::app {
namespace {

constexpr int fillingSize = 512;

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
            if (sheet.states[place] == Sheet::State::Empty) continue;
            const Vec3f& color = sheet.texels[place].baseColor;
            image.setPixel(x, y,
                           sheet.states[place] == Sheet::State::Missed
                               ? qRgb(200, 40, 30)
                               : qRgb(screenValue(color.x()), screenValue(color.y()), screenValue(color.z())));
        }
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

void SheetWork::bake(std::size_t number, double pixelsPerUnit, double pixelsTall) {
    if (!m_model.isOpen() || m_baking.isRunning()) return;
    const Document& document = m_model.document();
    if (number >= document.levels.size()) return;
    const Level& level = document.levels[number];
    // Baked again, it comes from what it was before.
    const std::shared_ptr<const Mesh> bare = level.bake && level.bake->bare ? level.bake->bare : level.mesh;
    m_filling = std::make_shared<Filling>();
    m_filling->level = level.mesh;
    m_filling->image = QImage(fillingSize, fillingSize, QImage::Format_RGB32);
    m_filling->image.fill(QColor(206, 209, 207));
    m_looking.start();
    m_baking.start([this, source = document.source, shown = level.mesh, bare, name = level.name, choice = document.bake,
                    screen = document.screen, pixelsPerUnit, pixelsTall,
                    filling = m_filling](const Progress& progress) -> Job::Delivery {
        BakeSettings settings = settingsFor(choice, *source, screen);
        settings.dress.channels.misses = true;
        settings.transfer.tileDone = [filling](const Sheet& sheet, int left, int top, int across) {
            const std::lock_guard lock(filling->mutex);
            fillIn(filling->image, sheet, left, top, across);
        };
        Baked baked = um::bake(*source, *bare, settings, progress.span(0, 0.85));
        BakeFigures figures = figuresOf(baked, source->metresPerUnit);
        figures.bare = bare;
        auto mesh = std::make_shared<const Mesh>(std::move(baked.level));
        if (pixelsPerUnit > 0) {
            std::vector<std::string> unreadable;
            const LookDifference look =
                measureLook(SurfaceMaterial(*source, unreadable), SurfaceMaterial(*mesh, unreadable), pixelsPerUnit,
                            progress.span(0.85, 1));
            figures.look = {look.mean, look.worst, look.p95, pixelsTall};
        }
        return [this, source, shown, mesh, figures, name, notes = baked.notes] {
            if (source != m_model.document().source) return;  // another was put in its place, or opened
            auto next = withBakedLevel(m_model.document(), shown, mesh, figures);
            if (!next) return;  // undone or removed meanwhile
            m_model.change(tr("Bake %1").arg(QString::fromStdString(name)), std::move(*next));
            QStringList sentences;
            for (const std::string& note : notes)
                if (note.find("(--channels") == std::string::npos) sentences += QString::fromStdString(note);
            if (!sentences.isEmpty()) emit said(sentences.join(' '));
        };
    });
}

void SheetWork::makeReady(std::shared_ptr<const Mesh> mesh, std::uint32_t material, SheetValue value,
                          std::shared_ptr<const std::string> misses) {
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

void SheetWork::cancel() {
    for (Job* job : {&m_baking, &m_reading, &m_lookingUp}) job->cancel();
}

}  // namespace um::app
