#include "app/panels/LevelsPanel.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <QContextMenuEvent>
#include <QGridLayout>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QVBoxLayout>
#include <utility>

namespace um::app {
namespace {

constexpr int countColumn = 58;  // from the right edge, where the deviation stands
constexpr int levelsRightMargin = 9;
constexpr int dragReach = 6;  // pixels before a press becomes a drag

class LevelRow : public QWidget {
public:
    /// What is special about it.
    struct Marks {
        bool isShown = false, isPreview = false, isStale = false, isLocked = false, isHandmade = false;
    };

    LevelRow(QString name, std::size_t triangles, QString deviation, const Marks& marks)
        : m_name(std::move(name)), m_deviation(std::move(deviation)), m_triangles(triangles), m_marks(marks) {
        if (marks.isStale) m_hints += tr("Stale: its source or recipe has changed since it was made");
        if (marks.isLocked) m_hints += tr("Locked: stays as it is");
        if (marks.isHandmade) m_hints += tr("Made by hand");
        QFont font = textFont();
        font.setItalic(marks.isPreview);
        setFont(font);
        setFixedHeight(QFontMetrics(textFont()).height() + 9);
    }

protected:
    // A name that is shortened is told in full where one points.
    void resizeEvent(QResizeEvent*) override {
        const QFontMetrics letters(font());
        const int count = letters.horizontalAdvance(QString::fromStdString(formatCount(m_triangles)));
        m_shownName = letters.elidedText(m_name, Qt::ElideRight, inside().width() - countColumn - count - 22);
        setToolTip(((m_shownName == m_name ? QStringList() : QStringList(m_name)) + m_hints).join("\n"));
    }

    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        if (m_marks.isShown) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme().ink);
            painter.drawRoundedRect(rect(), 5, 5);
        }
        const QRect inside = this->inside();
        const QColor ink = m_marks.isShown ? theme().panel : theme().ink;
        painter.setPen(ink);
        const QString count = QString::fromStdString(formatCount(m_triangles));
        painter.drawText(inside, Qt::AlignLeft | Qt::AlignVCenter, m_shownName);
        paintMarks(
            painter,
            QPointF(inside.left() + painter.fontMetrics().horizontalAdvance(m_shownName) + 7, inside.center().y() + 1),
            ink);
        painter.setPen(ink);
        painter.setBrush(Qt::NoBrush);
        painter.drawText(inside.adjusted(0, 0, -countColumn, 0), Qt::AlignRight | Qt::AlignVCenter, count);
        painter.drawText(inside, Qt::AlignRight | Qt::AlignVCenter, m_deviation);
    }

private:
    QRect inside() const { return rect().adjusted(9, 0, -levelsRightMargin, 0); }

    // An amber dot for what is stale, a padlock, a square corner for what came from a hand.
    void paintMarks(QPainter& painter, QPointF at, const QColor& ink) const {
        if (m_marks.isStale) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme().amber);
            painter.drawEllipse(at + QPointF(2, 0), 3, 3);
            at += QPointF(10, 0);
        }
        if (m_marks.isLocked) {
            painter.setPen(QPen(ink, 1.2));
            painter.setBrush(Qt::NoBrush);
            painter.drawArc(QRectF(at.x() + 0.5, at.y() - 5, 5, 6), 0, 180 * 16);
            painter.setBrush(ink);
            painter.setPen(Qt::NoPen);
            painter.drawRect(QRectF(at.x() - 0.5, at.y() - 1, 7, 5));
            at += QPointF(12, 0);
        }
        if (m_marks.isHandmade) {
            painter.setPen(QPen(ink, 1.2));
            painter.drawPolyline(QPolygonF{at + QPointF(0, -3), at + QPointF(0, 3), at + QPointF(6, 3)});
        }
    }

    QString m_name, m_shownName, m_deviation;
    QStringList m_hints;
    std::size_t m_triangles;
    Marks m_marks;
};

QString deviationText(const Level& level) {
    if (!level.evidence) return "…";
    const double metres = level.evidence->max * level.mesh->metresPerUnit;
    constexpr double leastThatIs = 1e-10;  // below, it is what rounding leaves
    return QString::fromStdString(formatNumber(metres < leastThatIs ? 0 : metres * 1000));
}

}  // namespace

LevelsPanel::LevelsPanel(QWidget* parent) : QWidget(parent), m_rows(new QGridLayout) {
    auto* heading = new QHBoxLayout;
    heading->setContentsMargins(9, 0, levelsRightMargin, 0);
    auto* chain = new QPushButton(tr("Chain …"));
    chain->setObjectName("small");
    chain->setFocusPolicy(Qt::TabFocus);
    chain->setToolTip(tr("Plans and makes levels together, and sets when they switch"));
    connect(chain, &QPushButton::clicked, this, &LevelsPanel::chainWanted);
    heading->addWidget(makeHeading(tr("LEVELS")), 1);
    QLabel* triangles = makeQuietLabel(tr("triangles"));
    triangles->setFont(textFont(-2));
    QLabel* deviation = makeQuietLabel(tr("max mm"));
    deviation->setFont(textFont(-2));
    deviation->setFixedWidth(countColumn);
    deviation->setAlignment(Qt::AlignRight);
    deviation->setToolTip(tr("largest measured deviation from the source, in millimetres"));
    heading->addWidget(triangles);
    heading->addWidget(deviation);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(1);
    auto* list = new QWidget;
    auto* listColumn = new QVBoxLayout(list);
    listColumn->setContentsMargins(0, 0, 0, 0);
    listColumn->addLayout(m_rows);
    listColumn->addStretch();
    m_scroll = makeScroll(list);
    m_scroll->setSizeAdjustPolicy(QAbstractScrollArea::AdjustToContents);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    column->addLayout(heading);
    column->addWidget(m_scroll);
    column->addWidget(chain, 0, Qt::AlignLeft);
}

void LevelsPanel::show(const Document& document, const std::optional<Level>& preview, Shown shown,
                       const std::vector<bool>& stale) {
    m_levels = document.levels;
    m_protect = document.care.protect;
    // A row may be what is just being clicked, so it outlives the click, unseen.
    for (QWidget* row : m_rowWidgets) {
        m_rows->removeWidget(row);
        row->hide();
        row->deleteLater();
    }
    m_rowWidgets.clear();
    m_rowLevels.clear();
    m_names.clear();
    const auto add = [&](int level, const QString& name, std::size_t triangles, const QString& deviation) {
        LevelRow::Marks marks{shown.level == level, level == Shown::preview};
        if (level >= 0) {
            const auto i = std::size_t(level);
            marks.isStale = stale[i];
            marks.isLocked = document.levels[i].isLocked;
            marks.isHandmade = document.levels[i].isHandmade;
        }
        auto* row = new LevelRow(name, triangles, deviation, marks);
        row->installEventFilter(this);
        m_rows->addWidget(row, int(m_rowWidgets.size()), 0);
        m_rowWidgets.push_back(row);
        m_rowLevels.push_back(level);
        m_names.push_back(name);
    };
    if (!document.source) return;
    add(Shown::source, tr("Source"), document.source->triangleCount(), "–");
    for (std::size_t i = 0; i < document.levels.size(); ++i) {
        const Level& level = document.levels[i];
        add(int(i), QString::fromStdString(level.name), level.mesh->triangleCount(), deviationText(level));
    }
    if (preview) add(Shown::preview, tr("Preview"), preview->mesh->triangleCount(), deviationText(*preview));
    // As tall as its rows, up to nine of them, or down to five in a low window; more are scrolled to.
    const int rows = int(m_rowWidgets.size()), row = QFontMetrics(textFont()).height() + 10;
    m_scroll->setMinimumHeight(std::min(rows, 5) * row);
    m_scroll->setMaximumHeight(std::min(rows, 9) * row);
}

bool LevelsPanel::eventFilter(QObject* watched, QEvent* event) {
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i) {
        if (m_rowWidgets[i] != watched) continue;
        const int level = m_rowLevels[i];
        if (event->type() == QEvent::MouseButtonPress && static_cast<QMouseEvent*>(event)->button() == Qt::LeftButton) {
            m_pressed = static_cast<QMouseEvent*>(event)->globalPosition().toPoint();
            m_dragged = level >= 0 ? level : -1;
            // The row itself is replaced by another when it is shown.
            if (m_dragged >= 0) grabMouse();
            emit chosen({level});
        } else if (event->type() == QEvent::MouseButtonDblClick && level >= 0)
            startRenaming(level);
        else if (event->type() == QEvent::ContextMenu && level >= 0)
            openMenu(level, static_cast<QContextMenuEvent*>(event)->globalPos());
        else
            break;
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void LevelsPanel::openMenu(int level, const QPoint& place) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    fillMenu(*menu, level);
    menu->popup(place);
}

void LevelsPanel::fillMenu(QMenu& menu, int level) {
    const Level& own = m_levels[std::size_t(level)];
    menu.addAction(tr("Rename"), this, [this, level] { startRenaming(level); });
    const auto check = [&](const QString& text, bool on, auto&& slot) {
        QAction* action = menu.addAction(text);
        action->setCheckable(true);
        action->setChecked(on);
        connect(action, &QAction::triggered, this, std::forward<decltype(slot)>(slot));
    };
    check(tr("Locked"), own.isLocked, [this, level](bool on) { emit lockWanted(level, on); });
    if (!own.isHandmade) {
        check(tr("Protected on its own, as set now"), own.recipe.protect.has_value(),
              [this, level, recipe = own.recipe, protect = m_protect](bool on) mutable {
                  recipe.protect = on ? std::optional(protect) : std::nullopt;
                  emit recipeChanged(level, recipe);
              });
        if (level > 0)
            check(tr("Made from the level before"), own.recipe.fromLevelBefore,
                  [this, level, recipe = own.recipe](bool on) mutable {
                      recipe.fromLevelBefore = on;
                      emit recipeChanged(level, recipe);
                  });
    }
    menu.addAction(tr("Replace by a file …"), this, [this, level] { emit fileWanted(level); });
    menu.addAction(tr("Export …"), this, [this, level] { emit exportWanted(level); });
    menu.addSeparator();
    menu.addAction(tr("Remove"), this, [this, level] { emit removed(level); });
}

int LevelsPanel::levelUnder(const QPoint& place) const {
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i)
        if (m_rowLevels[i] >= 0 && m_rowWidgets[i]->rect().contains(m_rowWidgets[i]->mapFromGlobal(place)))
            return m_rowLevels[i];
    return -1;
}

QRect LevelsPanel::rowOf(int level) const {
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i)
        if (m_rowLevels[i] == level) return {m_rowWidgets[i]->mapTo(this, QPoint(0, 0)), m_rowWidgets[i]->size()};
    return {};
}

void LevelsPanel::mouseMoveEvent(QMouseEvent* event) {
    const bool drags = m_dragged >= 0 && (event->globalPosition().toPoint() - m_pressed).manhattanLength() > dragReach;
    setCursor(drags ? Qt::ClosedHandCursor : Qt::ArrowCursor);
}

// Onto another level's row: the level takes that place.
void LevelsPanel::mouseReleaseEvent(QMouseEvent* event) {
    releaseMouse();
    setCursor(Qt::ArrowCursor);
    const int from = std::exchange(m_dragged, -1);
    const QPoint place = event->globalPosition().toPoint();
    if (from < 0 || (place - m_pressed).manhattanLength() <= dragReach) return;
    const int to = levelUnder(place);
    if (to >= 0 && to != from) emit moved(from, to);
}

void LevelsPanel::startRenaming(int level) {
    for (std::size_t i = 0; i < m_rowLevels.size(); ++i) {
        if (m_rowLevels[i] != level) continue;
        auto* field = new CommitField(m_rowWidgets[i]);
        field->showValue(m_names[i]);
        field->selectAll();
        field->setGeometry(m_rowWidgets[i]->rect());
        field->show();
        field->setFocus();
        connect(field, &CommitField::committed, this, [this, level, field](const QString& name) {
            field->deleteLater();
            emit renamed(level, name.trimmed());
        });
        connect(field, &QLineEdit::editingFinished, field, &QObject::deleteLater);
        return;
    }
}

}  // namespace um::app
