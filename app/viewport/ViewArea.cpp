#include "app/viewport/ViewArea.h"

#include "app/panels/Widgets.h"
#include "app/viewport/OutlineLayer.h"

#include <cmath>
#include <QButtonGroup>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>

namespace um::app {
namespace {

constexpr int margin = 14;
constexpr int widestTag = 200, widestOnChip = 110;

}  // namespace

ViewArea::ViewArea(QWidget* parent)
    : QWidget(parent), m_viewport(new Viewport(this)), m_outlineLayer(new OutlineLayer(this)) {
    const auto place = [&](QLabel* label, const QFont& font, const char* name) {
        label->setParent(this);
        label->setFont(font);
        label->setAttribute(Qt::WA_TransparentForMouseEvents);
        label->setObjectName(name);
        return label;
    };
    // Below whatever else lies over the picture.
    m_line = new WipeLine(this);
    m_twinLine = new QFrame(this);
    m_twinLine->setStyleSheet("background: rgba(255, 255, 255, 235)");
    m_linesBack = new QWidget(this);
    m_linesBack->setObjectName("linesBack");
    m_linesBack->setAttribute(Qt::WA_StyledBackground);
    m_linesBack->setAttribute(Qt::WA_TransparentForMouseEvents);
    m_name = place(new NameLabel, textFont(1, QFont::Bold), "");
    for (QLabel** line : {&m_facts, &m_second, &m_third}) *line = place(new QLabel, textFont(), "soft");
    m_otherTag = place(new NameLabel, textFont(-1), "tag");
    m_levelTag = place(new NameLabel, textFont(-1, QFont::DemiBold), "tag");
    for (QLabel* tag : {m_otherTag, m_levelTag}) tag->setMaximumWidth(widestTag);
    makeChips();
    m_marks = new MarkLayer(this);
    m_key = new TintKey(this);
    m_inset = new AsSeenInset(this);
    m_otherInset = new AsSeenInset(this);
    m_otherInset->hide();
    connect(m_line, &WipeLine::dragged, this, [this](double x) {
        m_wipeShare = std::clamp(x / std::max(1, width()), 0.02, 0.98);
        applyLook();
    });
    connect(m_viewport, &Viewport::cameraChanged, this, &ViewArea::placeMarks);
    connect(m_viewport, &Viewport::asSeenChanged, this, [this](const QImage& shown, const QImage& other) {
        const bool twins = m_twinLine->isVisible();
        const bool fades = m_fade > 0 && !compares();
        m_inset->setPictures(shown, twins || fades ? QImage() : other);
        m_inset->setNext(fades ? other : QImage(), m_fade);
        if (twins) m_otherInset->setPictures(other, {});
    });
    connect(m_viewport, &Viewport::lightTurned, this, [this](const Light& light) {
        m_look.light = light;
        applyLook();
    });
    connect(m_key, &TintKey::resized, this, &ViewArea::arrange);
    setPossible({});
}

void ViewArea::makeChips() {
    m_lit = makeChip(tr("Lit"), tr("The materials' colours (C changes between lit and clay)"));
    m_clay = makeChip(tr("Clay"), tr("Shape alone, without colours (C)"));
    m_deviation =
        makeChip(tr("Deviation"),
                 tr("Colours where the level is farther off than the tolerance (D). Click a place to measure it"));
    m_load = makeChip(tr("Pixel load"), tr("Colours triangles that are under four pixels where the player stands (P)"));
    m_texels = makeChip(tr("Texels"), tr("Colours where textures are finer or coarser than a texel a pixel where the "
                                         "player stands (G)"));
    m_outline = makeChip(tr("Outline"), tr("Where the level's outline has lost area, and where it has grown (S)"));
    m_edges = makeChip(tr("Edges"), tr("The triangles' edges (E)"));
    m_wipe = makeChip(tr("Wipe"), tr("Both along a line that can be dragged (W). Hold Space to see the other alone"));
    m_twin = makeChip(tr("Twin"), tr("Both side by side, seen from the same place (T)"));
    m_sheet = makeChip(tr("Sheet"), tr("The textures seen flat, and how a level is baked (U)"));
    m_against = makeChip({}, tr("What is compared with what is shown"));
    m_against->setCheckable(false);
    m_frame = new QPushButton;
    m_frame->setObjectName("chip");
    m_frame->setFocusPolicy(Qt::TabFocus);
    m_frame->setToolTip(tr("Everything into view (F)"));
    m_frame->setAccessibleName(tr("Everything into view"));
    m_frame->setIcon(icon("frame", theme().ink));
    const auto row = [this](std::initializer_list<QPushButton*> buttons) {
        auto* holder = new QWidget(this);
        auto* layout = new QHBoxLayout(holder);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->setSpacing(6);
        for (QPushButton* button : buttons) layout->addWidget(button);
        return holder;
    };
    m_looks = row({m_lit, m_clay, m_deviation, m_load, m_texels, m_frame});
    m_compare = row({m_outline, m_edges, m_wipe, m_twin, m_against, m_sheet});
    auto* grounds = new QButtonGroup(this);
    grounds->addButton(m_lit);
    grounds->addButton(m_clay);
    m_clay->setChecked(true);
    // Of these one at most: the surface has one colour.
    const std::initializer_list<QPushButton*> tints = {m_deviation, m_load, m_texels}, comparing = {m_wipe, m_twin};
    for (const auto& group : {tints, comparing})
        for (QPushButton* button : group)
            connect(button, &QPushButton::toggled, this, [button, group = std::vector<QPushButton*>(group)](bool on) {
                for (QPushButton* other : group)
                    if (on && other != button) other->setChecked(false);
            });
    for (QPushButton* button : {m_lit, m_clay, m_deviation, m_load, m_texels, m_outline, m_edges, m_wipe, m_twin})
        connect(button, &QPushButton::toggled, this, &ViewArea::applyLook);
    connect(m_sheet, &QPushButton::toggled, this, &ViewArea::sheetWanted);
    connect(m_against, &QPushButton::clicked, this, &ViewArea::openCompareMenu);
    connect(m_frame, &QPushButton::clicked, m_viewport, &Viewport::frameAll);
}

QPushButton* ViewArea::chip(const QString& name) const {
    for (QPushButton* button :
         {m_lit, m_clay, m_deviation, m_load, m_texels, m_outline, m_edges, m_wipe, m_twin, m_sheet})
        if (button->text() == name) return button;
    return nullptr;
}

// What to compare with, and on which of both the edges are drawn.
void ViewArea::openCompareMenu() {
    QMenu menu(this);
    for (int i = 0; i < m_others.size(); ++i) {
        QAction* action =
            menu.addAction(tr("Compare with %1").arg(m_others[i]), this, [this, i] { emit otherChosen(i); });
        action->setCheckable(true);
        action->setChecked(i == m_other);
    }
    menu.addSeparator();
    const auto addEdges = [&](const QString& text, bool here, bool there) {
        QAction* action = menu.addAction(text, this, [this, here, there] {
            m_edgesHere = here;
            m_edgesThere = there;
            m_edges->setChecked(true);
            applyLook();
        });
        action->setCheckable(true);
        action->setChecked(m_edges->isChecked() && here == m_edgesHere && there == m_edgesThere);
    };
    addEdges(tr("Edges on both"), true, true);
    addEdges(tr("Edges on %1 only").arg(m_levelTag->text()), true, false);
    addEdges(tr("Edges on %1 only").arg(m_otherTag->text()), false, true);
    menu.exec(m_against->mapToGlobal(QPoint(0, m_against->height() + 2)));
}

void ViewArea::setLines(const QString& name, const QString& facts, const QString& second) {
    m_name->setText(name);
    m_facts->setText(facts);
    m_second->setText(second);
    arrange();
}

void ViewArea::setOutlineLine(const QString& text) {
    if (m_third->text() == text) return;
    m_third->setText(text);
    arrange();
}

void ViewArea::setTolerance(double metres, double metresPerUnit) {
    m_look.tolerance = float(metres / metresPerUnit);
    m_toleranceMetres = metres;
    applyLook();
}

void ViewArea::setChosenPart(int part) {
    m_look.part = part;
    applyLook();
}

void ViewArea::setPossible(const Possible& possible) {
    m_possible = possible;
    for (QWidget* widget : std::initializer_list<QWidget*>{m_looks, m_compare, m_inset})
        widget->setVisible(possible.anything);
    m_deviation->setEnabled(possible.deviation);
    m_texels->setEnabled(possible.texels);
    for (QPushButton* button : {m_wipe, m_twin}) button->setEnabled(possible.pair);
    m_outline->setEnabled(possible.outline);
    m_against->setVisible(possible.others);
    if (m_welcome != nullptr) m_welcome->setVisible(!possible.anything);
    applyLook();
}

void ViewArea::setViewer(const Screen& screen, double metres, double metresPerUnit, const QSizeF& seen) {
    for (AsSeenInset* inset : {m_inset, m_otherInset}) inset->setViewer(metres, seen.height());
    // In pixels of this screen, whatever they are scaled to: one of them is one of the player's.
    m_viewport->setAsSeen({screen, metres / metresPerUnit, AsSeenInset::pictureFor(seen) * devicePixelRatioF()});
    m_look.pixelsPerUnit = metres > 0 ? float(screen.pixels(metresPerUnit, metres)) : 0;
    applyLook();
}

void ViewArea::setFade(double share) {
    m_fade = share;
    m_viewport->setFading(share > 0);
    m_inset->setShareOfNext(share);
}

bool ViewArea::compares() const {
    return (m_wipe->isChecked() || m_twin->isChecked()) && m_possible.pair;
}

void ViewArea::setNames(const QString& shown, const QStringList& others, int other) {
    m_others = others;
    m_other = other;
    m_levelTag->setText(shown);
    m_otherTag->setText(others.value(other));
    const auto onChip = [&] {
        return m_against->fontMetrics().elidedText(others[other], Qt::ElideMiddle, widestOnChip);
    };
    m_against->setText(others.isEmpty() ? QString() : tr("vs %1 …").arg(onChip()));
    m_otherInset->setName(others.value(other));
    applyLook();
}

void ViewArea::setWelcome(QWidget* welcome) {
    m_welcome = welcome;
    welcome->setParent(this);
    welcome->setVisible(!m_possible.anything);
    welcome->installEventFilter(this);
    arrange();
}

void ViewArea::addCard(QWidget* card) {
    m_cards.push_back(card);
    card->installEventFilter(this);
    arrange();
}

bool ViewArea::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize || event->type() == QEvent::Show || event->type() == QEvent::Hide ||
        event->type() == QEvent::LayoutRequest)
        arrange();
    return QWidget::eventFilter(watched, event);
}

void ViewArea::changeEvent(QEvent* event) {
    // The theme changes with the style sheet.
    if (event->type() == QEvent::StyleChange) m_frame->setIcon(icon("frame", theme().ink));
    QWidget::changeEvent(event);
}

void ViewArea::holdLight(bool held) {
    if (!held && !m_viewport->hasTurnedLight()) m_look.light = {};
    m_viewport->setTurningLight(held);
    applyLook();
}

void ViewArea::applyLook() {
    Look look = m_look;
    look.lit = m_lit->isChecked();
    const std::tuple<QPushButton*, bool, Tint> tints[] = {{m_deviation, m_possible.deviation, Tint::Deviation},
                                                          {m_load, m_possible.anything, Tint::PixelLoad},
                                                          {m_texels, m_possible.texels, Tint::Texels}};
    for (const auto& [button, isPossible, tint] : tints)
        if (button->isChecked() && isPossible) look.tint = tint;
    look.edges = m_edges->isChecked() && m_edgesHere;
    look.otherEdges = m_edges->isChecked() && m_edgesThere;
    const Tint before = tint();
    m_viewport->setLook(look);
    const bool wipes = m_wipe->isChecked() && m_possible.pair, twins = m_twin->isChecked() && m_possible.pair;
    m_viewport->setWipe(wipes ? m_wipeShare : -1);
    m_viewport->setTwin(twins);
    m_line->setVisible(wipes);
    m_twinLine->setVisible(twins);
    m_otherInset->setVisible(twins);
    m_inset->setName(twins ? m_levelTag->text() : QString());
    m_otherTag->setVisible(wipes || twins);
    m_levelTag->setVisible(wipes || twins);
    m_key->show(look.tint, m_toleranceMetres);
    const bool outlines = m_outline->isChecked() && m_possible.outline;
    m_outlineLayer->setVisible(outlines);
    emit outlineWanted(outlines);
    if (look.tint != before) emit tintChanged(look.tint);
    arrange();
}

// Each as long as it is, or in smaller letters none longer than `most`. @returns what they take
QRect ViewArea::arrangeLines(int most) {
    m_name->resize(std::min(m_name->sizeHint().width(), most > 0 ? most : width() - 2 * margin),
                   m_name->sizeHint().height());
    for (QLabel* line : {m_facts, m_second, m_third}) {
        if (line == m_second || line == m_third) line->setFont(textFont(most > 0 ? -1 : 0));
        const bool breaks = most > 0 && line->fontMetrics().horizontalAdvance(line->text()) > most;
        line->setWordWrap(breaks);
        if (breaks)
            line->resize(most, line->heightForWidth(most));
        else
            line->adjustSize();
    }
    m_name->move(margin + 2, margin);
    const bool isBeside = most == 0 || m_name->width() + 9 + m_facts->width() <= most;
    if (isBeside)
        m_facts->move(m_name->geometry().right() + 9, margin + m_name->height() - m_facts->height());
    else
        m_facts->move(margin + 2, margin + m_name->height() + 1);
    int y = (isBeside ? m_name : m_facts)->geometry().bottom() + 2;
    for (QLabel* line : {m_second, m_third}) {
        line->move(margin + 2, y);
        if (!line->text().isEmpty()) y = line->geometry().bottom() + 2;
    }
    QRect written;
    for (const QLabel* line : {m_name, m_facts, m_second, m_third})
        if (!line->text().isEmpty()) written |= line->geometry();
    return written;
}

void ViewArea::arrange() {
    m_viewport->setGeometry(rect());
    m_outlineLayer->setGeometry(m_viewport->placeOf(false));
    m_marks->setGeometry(rect());
    for (QWidget* row : {m_looks, m_compare}) row->adjustSize();
    for (QLabel* label : {m_otherTag, m_levelTag}) label->adjustSize();
    const int beside = width() - std::max(m_looks->width(), m_compare->width()) - 2 * margin - 12;
    QRect written = arrangeLines(0);
    // Beside the chips lines may break; where even that is too narrow, the chips come below them.
    constexpr int leastWide = 220;
    if (written.width() > beside) written = arrangeLines(beside >= leastWide ? beside : 0);
    m_linesBack->setVisible(m_possible.anything && !written.isEmpty());
    m_linesBack->setGeometry(written.adjusted(-6, -3, 6, 3));
    int y = written.width() > beside ? m_linesBack->geometry().bottom() + 8 : margin - 2;
    for (QWidget* row : {m_looks, m_compare}) {
        row->move(width() - row->width() - margin, y);
        y += row->height() + 6;
    }
    const int line = m_twinLine->isVisible() ? width() / 2 : int(std::lround(m_wipeShare * width()));
    m_line->setGeometry(line - m_line->width() / 2, 0, m_line->width(), height());
    m_twinLine->setGeometry(line - 1, 0, 2, height());
    // Twins have an inset each, in whose way tags and key would be.
    const bool twins = m_twinLine->isVisible();
    const int below = std::max(y, m_linesBack->geometry().bottom() + 2);
    const int tagTop = twins ? below + 2 : height() - margin - m_otherTag->height();
    m_otherTag->move(line - 16 - m_otherTag->width(), tagTop);
    m_levelTag->move(line + 16, tagTop);
    m_key->move(width() - m_key->width() - margin, twins ? y + 4 : height() - m_key->height() - margin + 4);
    // Above the key to the surface's colours, where that is.
    m_outlineLayer->setKeyHeight(m_key->isVisible() && !twins ? m_key->height() + margin + 8 : margin + 4);
    const int insetTop = height() - m_inset->height() - margin;
    m_otherInset->move(margin, insetTop);
    m_inset->move(twins ? line + margin : margin, insetTop);
    if (m_welcome != nullptr) {
        m_welcome->adjustSize();
        m_welcome->move((width() - m_welcome->width()) / 2, (height() - m_welcome->height()) / 2);
    }
    for (QWidget* card : m_cards) card->move(width() - card->width() - margin, y + 4);
    // The lines do not count: they come and go, and the picture should not move for that.
    const QRect pane = m_viewport->placeOf(false);
    QRect free = pane.adjusted(margin, y + 2, -margin, -margin);
    for (const QWidget* card : m_cards)
        if (card->isVisible() && !twins) free.setRight(std::min(free.right(), card->x() - margin));
    m_viewport->setRoom({pane, free, m_inset->isVisible() ? m_inset->geometry().adjusted(0, -8, 8, 0) : QRect()});
    placeMarks();
}

void ViewArea::setMark(const std::optional<Vec3d>& place) {
    m_marked = place;
    placeMarks();
}

void ViewArea::setFinding(const std::optional<Finding>& finding) {
    m_finding = finding;
    placeMarks();
}

std::optional<QPointF> ViewArea::pixelOf(const Vec3d& place, bool isOnOther) const {
    const QRect pane = m_viewport->placeOf(isOnOther);
    const auto pixel = m_viewport->camera().pixelOf(place, pane.width(), std::max(1, pane.height()));
    if (!pixel) return std::nullopt;
    return QPointF(pane.x() + pixel->x(), pane.y() + pixel->y());
}

void ViewArea::setChart(std::vector<ChartSide> rim) {
    m_chart = std::move(rim);
    placeMarks();
}

void ViewArea::setBrush(const std::optional<QPointF>& place, double radius) {
    m_marks->showBrush(place, radius);
}

void ViewArea::setMaterialLook(unsigned without, bool checker, const std::shared_ptr<const MissPictures>& misses) {
    m_look.without = without;
    m_look.checker = checker;
    m_look.misses = misses;
    applyLook();
}

// A place that is pointed out is so in both pictures; what was found belongs to one of them.
void ViewArea::placeMarks() {
    std::vector<QPointF> rings;
    if (m_marked && m_possible.anything)
        for (const bool isOnOther : {false, true}) {
            const auto pixel = pixelOf(*m_marked, isOnOther);
            if (pixel && (rings.empty() || rings.front() != *pixel)) rings.push_back(*pixel);
        }
    std::optional<MarkLayer::Found> found;
    if (m_finding && m_possible.anything) {
        const auto place = pixelOf(m_finding->place, m_finding->isOnOther);
        const auto closest = pixelOf(m_finding->closest, m_finding->isOnOther);
        if (place && closest) found = {*place, *closest, m_finding->text};
    }
    std::vector<QLineF> chart;
    const Vec3d toViewer = m_viewport->camera().turn().row(2).transpose();
    for (const ChartSide& side : m_chart) {
        if (side.normal.dot(toViewer) < 0) continue;
        const auto from = pixelOf(side.from, false), to = pixelOf(side.to, false);
        if (from && to) chart.emplace_back(*from, *to);
    }
    m_marks->show(rings, chart, found);
}

void ViewArea::resizeEvent(QResizeEvent*) {
    arrange();
}

void ViewArea::toggleDeviation() {
    if (m_possible.deviation) m_deviation->toggle();
}

void ViewArea::toggleOutline() {
    if (m_possible.outline) m_outline->toggle();
}

void ViewArea::toggleEdges() {
    if (m_possible.anything) m_edges->toggle();
}

void ViewArea::toggleWipe() {
    if (m_possible.pair) m_wipe->toggle();
}

void ViewArea::toggleTwin() {
    if (m_possible.pair) m_twin->toggle();
}

void ViewArea::togglePixelLoad() {
    if (m_possible.anything) m_load->toggle();
}

void ViewArea::toggleTexels() {
    if (m_possible.texels) m_texels->toggle();
}

void ViewArea::toggleSheet() {
    if (m_possible.anything) m_sheet->toggle();
}

void ViewArea::toggleLit() {
    (m_lit->isChecked() ? m_clay : m_lit)->setChecked(true);
}

}  // namespace um::app
