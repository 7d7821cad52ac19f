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

namespace um::app {
namespace {

constexpr int countColumn = 58;  // from the right edge, where the deviation stands
constexpr int rightMargin = 9;

class LevelRow : public QWidget {
public:
    LevelRow(QString name, std::size_t triangles, QString deviation, bool isShown, bool isPreview)
        : m_name(std::move(name)),
          m_deviation(std::move(deviation)),
          m_triangles(triangles),
          m_isShown(isShown),
          m_isPreview(isPreview) {
        setFixedHeight(QFontMetrics(textFont()).height() + 9);
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        if (m_isShown) {
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme().ink);
            painter.drawRoundedRect(rect(), 5, 5);
        }
        const QRect inside = rect().adjusted(9, 0, -rightMargin, 0);
        QFont font = textFont();
        font.setItalic(m_isPreview);
        painter.setFont(font);
        painter.setPen(m_isShown ? theme().panel : theme().ink);
        const QString count = QString::fromStdString(formatCount(m_triangles));
        const int nameRoom = inside.width() - countColumn - painter.fontMetrics().horizontalAdvance(count) - 8;
        painter.drawText(inside, Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(m_name, Qt::ElideRight, nameRoom));
        painter.drawText(inside.adjusted(0, 0, -countColumn, 0), Qt::AlignRight | Qt::AlignVCenter, count);
        painter.drawText(inside, Qt::AlignRight | Qt::AlignVCenter, m_deviation);
    }

private:
    QString m_name, m_deviation;
    std::size_t m_triangles;
    bool m_isShown, m_isPreview;
};

QString deviationText(const Level& level) {
    if (!level.evidence) return "…";
    return QString::fromStdString(formatNumber(level.evidence->max * level.mesh->metresPerUnit * 1000));
}

}  // namespace

LevelsPanel::LevelsPanel(QWidget* parent) : QWidget(parent), m_rows(new QGridLayout) {
    auto* heading = new QHBoxLayout;
    heading->setContentsMargins(9, 0, rightMargin, 0);
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
    auto* scroll = new QScrollArea;
    scroll->setWidget(list);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    column->addLayout(heading);
    column->addWidget(scroll, 1);
}

void LevelsPanel::show(const Document& document, const std::optional<Level>& preview, Shown shown) {
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
        auto* row = new LevelRow(name, triangles, deviation, shown.level == level, level == Shown::preview);
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
}

bool LevelsPanel::eventFilter(QObject* watched, QEvent* event) {
    for (std::size_t i = 0; i < m_rowWidgets.size(); ++i) {
        if (m_rowWidgets[i] != watched) continue;
        const int level = m_rowLevels[i];
        if (event->type() == QEvent::MouseButtonPress && static_cast<QMouseEvent*>(event)->button() == Qt::LeftButton)
            emit chosen({level});
        else if (event->type() == QEvent::MouseButtonDblClick && level >= 0)
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
    menu->addAction(tr("Rename"), this, [this, level] { startRenaming(level); });
    menu->addAction(tr("Export …"), this, [this, level] { emit exportWanted(level); });
    menu->addSeparator();
    menu->addAction(tr("Remove"), this, [this, level] { emit removed(level); });
    menu->popup(place);
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
