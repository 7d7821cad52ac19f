#include "app/viewport/ViewArea.h"

#include "app/panels/Widgets.h"
#include "app/viewport/OutlineLayer.h"

#include <cmath>
#include <QButtonGroup>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace um::app {
namespace {

constexpr int margin = 14;

}  // namespace

ViewArea::ViewArea(QWidget* parent)
    : QWidget(parent), m_viewport(new Viewport(this)), m_outlineLayer(new OutlineLayer(this)) {
    const auto label = [&](const QFont& font, bool soft) {
        auto* made = new QLabel(this);
        made->setFont(font);
        made->setAttribute(Qt::WA_TransparentForMouseEvents);
        if (soft) made->setObjectName("soft");
        return made;
    };
    m_linesBack = new QWidget(this);
    m_linesBack->setObjectName("linesBack");
    m_linesBack->setAttribute(Qt::WA_StyledBackground);
    m_linesBack->setAttribute(Qt::WA_TransparentForMouseEvents);
    m_name = label(textFont(1, QFont::Bold), false);
    m_facts = label(textFont(), true);
    m_second = label(textFont(), true);
    m_third = label(textFont(), true);
    m_sourceTag = label(textFont(-1), true);
    m_levelTag = label(textFont(-1, QFont::DemiBold), false);
    m_sourceTag->setText(tr("source"));

    m_lit = makeChip(tr("Lit"), tr("The materials' colours (C changes between lit and clay)"));
    m_clay = makeChip(tr("Clay"), tr("Shape alone, without colours (C)"));
    m_deviation = makeChip(tr("Deviation"), tr("Colours where the level is farther off than the tolerance (D)"));
    m_outline = makeChip(tr("Outline"), tr("Where the level's outline has lost area, and where it has grown (S)"));
    m_edges = makeChip(tr("Edges"), tr("The triangles' edges (E)"));
    m_wipe = makeChip(
        tr("Wipe"),
        tr("Source and level side by side along a line that can be dragged (W). Hold Space to see the source"));
    m_frame = new QPushButton;
    m_frame->setObjectName("chip");
    m_frame->setFocusPolicy(Qt::NoFocus);
    m_frame->setToolTip(tr("Everything into view (F)"));
    m_frame->setIcon(icon("frame", theme().ink));
    m_chips = new QWidget(this);
    auto* row = new QHBoxLayout(m_chips);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    for (QPushButton* button : {m_lit, m_clay, m_deviation, m_outline, m_edges, m_wipe, m_frame})
        row->addWidget(button);
    auto* grounds = new QButtonGroup(this);
    grounds->addButton(m_lit);
    grounds->addButton(m_clay);
    m_clay->setChecked(true);
    for (QPushButton* button : {m_lit, m_clay, m_deviation, m_outline, m_edges, m_wipe})
        connect(button, &QPushButton::toggled, this, &ViewArea::applyLook);
    connect(m_frame, &QPushButton::clicked, m_viewport, &Viewport::frameAll);

    m_mark = new PlaceMark(this);
    m_line = new WipeLine(this);
    m_scale = new DeviationScale(this);
    m_inset = new AsSeenInset(this);
    connect(m_line, &WipeLine::dragged, this, [this](double x) {
        m_wipeShare = std::clamp(x / std::max(1, width()), 0.02, 0.98);
        applyLook();
    });
    connect(m_viewport, &Viewport::cameraChanged, this, &ViewArea::placeMark);
    connect(m_viewport, &Viewport::asSeenChanged, m_inset, &AsSeenInset::setPicture);
    setPossible(false, false, false);
}

QPushButton* ViewArea::chip(const QString& name) const {
    for (QPushButton* button : {m_lit, m_clay, m_deviation, m_outline, m_edges, m_wipe})
        if (button->text() == name) return button;
    return nullptr;
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
    m_tolerance = float(metres / metresPerUnit);
    m_scale->setTolerance(metres);
    applyLook();
}

void ViewArea::setChosenPart(int part) {
    m_part = part;
    applyLook();
}

void ViewArea::setPossible(bool anything, bool deviation, bool wipe) {
    m_hasAnything = anything;
    m_canDeviate = deviation;
    m_canWipe = wipe;
    m_chips->setVisible(anything);
    m_inset->setVisible(anything);
    m_deviation->setEnabled(deviation);
    m_wipe->setEnabled(wipe);
    m_outline->setEnabled(wipe);
    if (m_welcome != nullptr) m_welcome->setVisible(!anything);
    applyLook();
}

void ViewArea::setViewer(const Screen& screen, double metres, double metresPerUnit, double pixelsTall) {
    m_inset->setViewer(metres, pixelsTall);
    // In pixels of this screen, whatever they are scaled to: one of them is one of the player's.
    m_viewport->setAsSeen(screen, metres / metresPerUnit, int(AsSeenInset::pictureSize * devicePixelRatioF()));
}

void ViewArea::setShownName(const QString& name) {
    m_levelTag->setText(name);
    arrange();
}

void ViewArea::setWelcome(QWidget* welcome) {
    m_welcome = welcome;
    welcome->setParent(this);
    welcome->setVisible(!m_hasAnything);
    welcome->installEventFilter(this);
    arrange();
}

void ViewArea::addCard(QWidget* card) {
    m_cards.push_back(card);
    card->installEventFilter(this);
    arrange();
}

bool ViewArea::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize || event->type() == QEvent::Show || event->type() == QEvent::LayoutRequest)
        arrange();
    return QWidget::eventFilter(watched, event);
}

void ViewArea::changeEvent(QEvent* event) {
    // The theme changes with the style sheet.
    if (event->type() == QEvent::StyleChange) m_frame->setIcon(icon("frame", theme().ink));
    QWidget::changeEvent(event);
}

void ViewArea::applyLook() {
    Look look;
    look.lit = m_lit->isChecked();
    look.deviation = m_deviation->isChecked() && m_canDeviate;
    look.edges = m_edges->isChecked();
    look.part = m_part;
    look.tolerance = m_tolerance;
    m_viewport->setLook(look);
    const bool wipes = m_wipe->isChecked() && m_canWipe;
    m_viewport->setWipe(wipes ? m_wipeShare : -1);
    m_line->setVisible(wipes);
    m_sourceTag->setVisible(wipes);
    m_levelTag->setVisible(wipes);
    m_scale->setVisible(look.deviation);
    const bool outlines = m_outline->isChecked() && m_canWipe;
    m_outlineLayer->setVisible(outlines);
    emit outlineWanted(outlines);
    arrange();
}

void ViewArea::arrange() {
    m_viewport->setGeometry(rect());
    m_outlineLayer->setGeometry(rect());
    m_chips->adjustSize();
    m_chips->move(width() - m_chips->width() - margin, margin - 2);
    for (QLabel* label : {m_name, m_facts, m_second, m_third, m_sourceTag, m_levelTag}) label->adjustSize();
    m_name->move(margin + 2, margin);
    m_facts->move(m_name->geometry().right() + 9, margin + m_name->height() - m_facts->height());
    m_second->move(margin + 2, margin + m_name->height() + 1);
    m_third->move(margin + 2, m_second->geometry().bottom() + 2);
    QRect written;
    for (const QLabel* line : {m_name, m_facts, m_second, m_third})
        if (!line->text().isEmpty()) written |= line->geometry();
    m_linesBack->setVisible(m_hasAnything && !written.isEmpty());
    m_linesBack->setGeometry(written.adjusted(-6, -3, 6, 3));
    // On a narrow window the chips come below the lines.
    if (m_facts->geometry().right() + 12 > m_chips->x()) m_chips->move(m_chips->x(), m_third->geometry().bottom() + 8);
    const int line = int(std::lround(m_wipeShare * width()));
    m_line->setGeometry(line - m_line->width() / 2, 0, m_line->width(), height());
    m_sourceTag->move(line - 16 - m_sourceTag->width(), height() - margin - m_sourceTag->height());
    m_levelTag->move(line + 16, height() - margin - m_levelTag->height());
    m_scale->move(width() - m_scale->width() - margin, height() - m_scale->height() - margin + 4);
    m_inset->move(margin, height() - m_inset->height() - margin);
    if (m_welcome != nullptr) {
        m_welcome->adjustSize();
        m_welcome->move((width() - m_welcome->width()) / 2, (height() - m_welcome->height()) / 2);
    }
    for (QWidget* card : m_cards) card->move(width() - card->width() - margin, margin + m_chips->height() + 10);
    placeMark();
}

void ViewArea::setMark(const std::optional<Vec3d>& place) {
    m_marked = place;
    placeMark();
}

void ViewArea::placeMark() {
    const auto pixel =
        m_marked ? m_viewport->camera().pixelOf(*m_marked, width(), std::max(1, height())) : std::nullopt;
    m_mark->setVisible(pixel && m_hasAnything);
    if (pixel)
        m_mark->move(int(std::lround(pixel->x())) - m_mark->width() / 2,
                     int(std::lround(pixel->y())) - m_mark->height() / 2);
}

void ViewArea::resizeEvent(QResizeEvent*) {
    arrange();
}

void ViewArea::toggleDeviation() {
    if (m_canDeviate) m_deviation->toggle();
}

void ViewArea::toggleOutline() {
    if (m_canWipe) m_outline->toggle();
}

void ViewArea::toggleEdges() {
    if (m_hasAnything) m_edges->toggle();
}

void ViewArea::toggleWipe() {
    if (m_canWipe) m_wipe->toggle();
}

void ViewArea::toggleLit() {
    (m_lit->isChecked() ? m_clay : m_lit)->setChecked(true);
}

}  // namespace um::app
