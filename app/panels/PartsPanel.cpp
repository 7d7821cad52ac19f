#include "app/panels/PartsPanel.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QScrollBar>
#include <QVBoxLayout>

namespace um::app {
namespace {

// A part's name, its triangles, and a bar as long as its share.
class PartRow : public QWidget {
public:
    PartRow(QString name, std::size_t triangles, double share, std::function<void()> onClick)
        : m_name(std::move(name)), m_count(triangles), m_share(share), m_onClick(std::move(onClick)) {
        setFixedHeight(fullHeight());
        setToolTip(tr("%1: %2 triangles, %3 % of the source. Click to make it stand out.")
                       .arg(m_name, QString::fromStdString(formatCount(m_count)),
                            QString::fromStdString(formatNumber(100 * share))));
    }

    static int fullHeight() { return QFontMetrics(textFont()).height() + 17; }

    void setGuard(const QString& word) {
        m_guard = word;
        update();
    }

    void setChosen(bool chosen) {
        m_isChosen = chosen;
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        if (m_isChosen) {
            painter.setBrush(theme().accentTint);
            painter.setPen(Qt::NoPen);
            painter.drawRoundedRect(rect(), 5, 5);
        }
        const QRect inside = rect().adjusted(9, 4, -9, -9);
        const QString count = QString::fromStdString(formatShortCount(m_count));
        painter.setFont(textFont());
        painter.setPen(theme().softInk);
        painter.drawText(inside, Qt::AlignRight | Qt::AlignTop, count);
        int room = inside.width() - painter.fontMetrics().horizontalAdvance(count) - 8;
        if (!m_guard.isEmpty()) {
            painter.setPen(theme().accent);
            const QRect before = inside.adjusted(0, 0, room - inside.width(), 0);
            painter.drawText(before, Qt::AlignRight | Qt::AlignTop, m_guard);
            room -= painter.fontMetrics().horizontalAdvance(m_guard) + 8;
        }
        painter.setPen(theme().ink);
        painter.drawText(inside, Qt::AlignLeft | Qt::AlignTop,
                         painter.fontMetrics().elidedText(m_name, Qt::ElideMiddle, room));
        QRectF bar(inside.left(), height() - 8.0, inside.width(), 3.5);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().rule);
        painter.drawRoundedRect(bar, 1.7, 1.7);
        bar.setWidth(std::max(3.5, bar.width() * m_share));
        painter.setBrush(theme().isNight ? theme().softInk : QColor("#7E8C8C"));
        painter.drawRoundedRect(bar, 1.7, 1.7);
    }

    void mousePressEvent(QMouseEvent*) override { m_onClick(); }

private:
    QString m_name;
    QString m_guard;
    std::size_t m_count;
    double m_share;
    std::function<void()> m_onClick;
    bool m_isChosen = false;
};

constexpr std::size_t mostRows = 500;
constexpr int gap = 1;

// Scrolled a row at a time; a row that has no room as a whole is not shown cut.
class RowScroll : public QScrollArea {
public:
    RowScroll() { verticalScrollBar()->setSingleStep(step()); }

protected:
    void resizeEvent(QResizeEvent* event) override {
        QScrollArea::resizeEvent(event);
        fit();
    }
    bool eventFilter(QObject* watched, QEvent* event) override {
        const bool isDone = QScrollArea::eventFilter(watched, event);
        if (watched == widget() && event->type() == QEvent::LayoutRequest) fit();
        return isDone;
    }

private:
    static int step() { return PartRow::fullHeight() + gap; }
    void fit() {
        const bool isCut = widget() != nullptr && widget()->minimumSizeHint().height() > height();
        // The last row has no gap below it.
        setViewportMargins(0, 0, 0, isCut && height() >= step() ? (height() + gap) % step() : 0);
    }
};

QString guardWord(GuardValue value) {
    return value > 1   ? PartsPanel::tr("hold")
           : value > 0 ? PartsPanel::tr("keep")
           : value < 0 ? PartsPanel::tr("yield")
                       : PartsPanel::tr("none");
}

}  // namespace

PartsPanel::PartsPanel(QWidget* parent)
    : QWidget(parent),
      m_total(makeQuietLabel()),
      m_title(makeHeading(tr("SOURCE"))),
      m_rows(new QVBoxLayout),
      m_properties(new QVBoxLayout) {
    auto* heading = new QHBoxLayout;
    heading->setContentsMargins(9, 0, 9, 0);
    heading->addWidget(makeHeading(tr("PARTS")));
    heading->addStretch();
    heading->addWidget(m_total);
    m_total->setFont(textFont(-2));
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(gap);
    m_rows->addStretch();
    auto* list = new QWidget;
    list->setLayout(m_rows);
    auto* scroll = new RowScroll;
    scroll->setWidget(list);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    // It takes the room that is left: a long chain needs it below, and the list is scrolled then.
    scroll->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Ignored);
    scroll->setMinimumHeight(44);
    m_properties->setContentsMargins(9, 2, 9, 0);
    m_properties->setSpacing(2);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addLayout(heading);
    column->addWidget(scroll, 1);
    column->addWidget(makeRule());
    auto* titleRow = new QHBoxLayout;
    titleRow->setContentsMargins(9, 2, 9, 0);
    titleRow->addWidget(m_title);
    column->addLayout(titleRow);
    column->addLayout(m_properties);
}

void PartsPanel::setSource(const Mesh* mesh) {
    m_mesh = mesh;
    m_triangles = mesh != nullptr ? trianglesByPart(*mesh) : std::vector<std::size_t>();
    m_statistics.reset();
    m_chosen = -1;
    rebuildRows();
    showProperties();
}

void PartsPanel::setStatistics(std::optional<MeshStatistics> statistics) {
    m_statistics = std::move(statistics);
    showProperties();
}

void PartsPanel::choose(int part) {
    m_chosen = part == m_chosen ? -1 : part;
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i)
        static_cast<PartRow*>(m_rowWidgets[i])->setChosen(int(i) == m_chosen);
    showProperties();
    emit partChosen(m_chosen);
}

GuardValue PartsPanel::guardOf(std::size_t part) const {
    for (const PartGuard& guard : m_guard.parts)
        if (guard.part == m_mesh->parts[part].name) return guard.value;
    return 0;
}

void PartsPanel::setGuard(const Guard& guard) {
    if (m_guard == guard) return;
    m_guard = guard;
    showGuards();
    showProperties();
}

void PartsPanel::setEvidence(std::shared_ptr<const Deviation> evidence) {
    if (m_evidence == evidence) return;
    m_evidence = std::move(evidence);
    showProperties();
}

void PartsPanel::showGuards() {
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i) {
        const GuardValue value = guardOf(i);
        static_cast<PartRow*>(m_rowWidgets[i])->setGuard(value == 0 ? QString() : guardWord(value));
    }
}

void PartsPanel::rebuildRows() {
    for (QWidget* row : m_rowWidgets) delete row;
    m_rowWidgets.clear();
    m_total->setText(m_mesh != nullptr ? QString::fromStdString(formatCount(m_mesh->triangleCount())) : QString());
    for (std::size_t part = 0; part < std::min(m_triangles.size(), mostRows); ++part) {
        const double share = double(m_triangles[part]) / double(m_mesh->triangleCount());
        auto* row = new PartRow(QString::fromStdString(m_mesh->parts[part].name), m_triangles[part], share,
                                [this, part] { choose(int(part)); });
        m_rows->insertWidget(int(part), row);
        m_rowWidgets.push_back(row);
    }
    showGuards();
}

void PartsPanel::showProperties() {
    emptyLayout(*m_properties);
    if (m_mesh == nullptr) {
        m_title->setText({});
        return;
    }
    const bool whole = m_chosen < 0;
    m_title->setText(whole ? tr("SOURCE")
                           : QString::fromStdString(m_mesh->parts[std::size_t(m_chosen)].name).toUpper());
    // Each row stands alone, so that a long value may reach under the names of others.
    const auto addRow = [&](QLabel* name, QWidget* value, const QString& tip) {
        auto* row = new QWidget;
        auto* layout = new QHBoxLayout(row);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->addWidget(name);
        layout->addStretch();
        layout->addWidget(value);
        row->setToolTip(tip);
        m_properties->addWidget(row);
    };
    const auto add = [&](const QString& name, const QString& value, const QString& tip = {}, bool needsLook = false) {
        auto* text = new QLabel(value);
        text->setFont(textFont(-1));
        text->setAlignment(Qt::AlignRight);
        if (needsLook) text->setStyleSheet("color: " + theme().amber.name());
        addRow(makeQuietLabel(name), text, tip);
    };
    const auto count = [](std::size_t n) { return QString::fromStdString(formatCount(n)); };
    if (!whole) {
        auto* guards = new QComboBox;
        guards->setFont(textFont(-1));
        guards->setAccessibleName(tr("Guard"));
        for (const GuardValue value : {0.0f, guardHold, 0.5f, -0.5f}) guards->addItem(guardWord(value), value);
        guards->setCurrentText(guardWord(guardOf(std::size_t(m_chosen))));
        guards->setToolTip(tr("Hold: not touched. Keep: dearer to reduce. Yield: cheaper."));
        connect(guards, &QComboBox::activated, this,
                [this, guards] { emit guardChosen(m_chosen, guards->currentData().toFloat()); });
        addRow(makeQuietLabel(tr("Guard")), guards, {});
    }
    if (!whole && m_evidence && m_evidence->byPart.size() == m_triangles.size()) {
        const PartDeviation& off = m_evidence->byPart[std::size_t(m_chosen)];
        const auto metric = [&](double x) { return QString::fromStdString(formatLength(x * m_mesh->metresPerUnit)); };
        add(tr("Off by at most"), metric(off.max), tr("the largest deviation of this part, both ways"));
        add(tr("rms"), metric(off.rms), tr("root of its mean square, over the part's area"));
    }
    if (!m_statistics) {
        add(tr("Triangles"), count(whole ? m_mesh->triangleCount() : m_triangles[std::size_t(m_chosen)]));
        add(tr("Looking it over …"), {});
        return;
    }
    const Statistics& s = whole ? m_statistics->whole : m_statistics->parts[std::size_t(m_chosen)];
    const double metres = m_mesh->metresPerUnit;
    const Vec3f size = s.box.sizes();
    const double largest = double(size.maxCoeff()) * metres;
    const double unit = largest < 0.1 ? 0.001 : largest < 2 ? 0.01 : 1;
    const auto length = [&](float x) { return QString::fromStdString(formatNumber(double(x) * metres / unit)); };
    add(tr("Triangles"), count(s.triangles));
    add(tr("Vertices"), count(s.vertices));
    add(tr("Size"),
        length(size.x()) + " × " + length(size.y()) + " × " + length(size.z()) + " " +
            QString::fromStdString(unitName(unit)),
        tr("width × height × depth"));
    add(tr("Materials"), count(s.materials));
    add(tr("UVs"), s.hasUvs ? tr("yes") : tr("none"));
    add(tr("Open borders"), s.borderLoops == 0 ? tr("none") : count(s.borderLoops),
        tr("holes and rims: %1 edges with a triangle on one side only").arg(count(s.borderEdges)));
    add(tr("Loose bits"), count(s.pieces), tr("pieces that no vertex joins to the others"));
    if (s.nonManifoldEdges > 0)
        add(tr("Non-manifold"), count(s.nonManifoldEdges), tr("edges where more than two triangles meet"), true);
    if (s.windingEdges > 0)
        add(tr("Flipped"), count(s.windingEdges), tr("edges whose two triangles face opposite ways"), true);
    if (s.zeroAreaTriangles > 0)
        add(tr("Zero area"), count(s.zeroAreaTriangles), tr("triangles without any area"), true);
    if (s.duplicateTriangles > 0)
        add(tr("Duplicates"), count(s.duplicateTriangles), tr("triangles on the same three vertices as another"), true);
    if (whole && !m_mesh->unitStated) {
        auto* units = new QComboBox;
        units->setFont(textFont(-1));
        for (const char* name : {"mm", "cm", "m", "in", "ft"}) units->addItem(name);
        units->setCurrentText(QString::fromStdString(unitName(metres)));
        units->setToolTip(tr("The file does not say its unit; choose what one unit is"));
        connect(units, &QComboBox::textActivated, this,
                [this](const QString& name) { emit unitChosen(*metresPerUnitOf(name.toStdString())); });
        addRow(makeQuietLabel(tr("Unit (assumed)")), units, {});
    }
}

}  // namespace um::app
