#include "app/panels/PartsList.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <QAbstractListModel>
#include <QPainter>
#include <QStyledItemDelegate>

namespace um::app {

class PartsModel : public QAbstractListModel {
public:
    using QAbstractListModel::QAbstractListModel;

    void set(std::vector<PartsList::Row> rows) {
        if (rows == m_rows) return;
        beginResetModel();
        m_rows = std::move(rows);
        endResetModel();
    }
    const PartsList::Row& row(int i) const { return m_rows[std::size_t(i)]; }
    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(m_rows.size()); }

    QVariant data(const QModelIndex& index, int role) const override {
        const PartsList::Row& part = row(index.row());
        if (role == Qt::DisplayRole) return part.name;
        if (role == Qt::ToolTipRole)
            return PartsList::tr("%1: %2 triangles, %3 % of the source. Click to make it stand out.")
                .arg(part.name, QString::fromStdString(formatCount(part.triangles)),
                     QString::fromStdString(formatNumber(100 * part.share)));
        return {};
    }

private:
    std::vector<PartsList::Row> m_rows;
};

namespace {

constexpr int gap = 1;  // below each row

int rowHeight() {
    return QFontMetrics(textFont()).height() + 17;
}

class PartsPainter : public QStyledItemDelegate {
public:
    PartsPainter(const PartsModel& model, QObject* parent) : QStyledItemDelegate(parent), m_model(model) {}

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {1, rowHeight() + gap}; }

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const PartsList::Row& part = m_model.row(index.row());
        const QRect row = option.rect.adjusted(0, 0, 0, -gap);
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        painter->setPen(Qt::NoPen);
        if (option.state & QStyle::State_Selected) {
            painter->setBrush(theme().accentTint);
            painter->drawRoundedRect(row, 5, 5);
        }
        paintText(*painter, part, row.adjusted(9, 4, -9, -9));
        paintBar(*painter, part.share, QRectF(row.left() + 9.0, row.bottom() - 7.0, row.width() - 18.0, 3.5));
        painter->restore();
    }

private:
    static void paintText(QPainter& painter, const PartsList::Row& part, const QRect& inside) {
        const QString count = QString::fromStdString(formatShortCount(part.triangles));
        painter.setFont(textFont());
        painter.setPen(theme().softInk);
        painter.drawText(inside, Qt::AlignRight | Qt::AlignTop, count);
        int room = inside.width() - painter.fontMetrics().horizontalAdvance(count) - 8;
        if (!part.guard.isEmpty()) {
            painter.setPen(theme().accent);
            const QRect before = inside.adjusted(0, 0, room - inside.width(), 0);
            painter.drawText(before, Qt::AlignRight | Qt::AlignTop, part.guard);
            room -= painter.fontMetrics().horizontalAdvance(part.guard) + 8;
        }
        painter.setPen(theme().ink);
        painter.drawText(inside, Qt::AlignLeft | Qt::AlignTop,
                         painter.fontMetrics().elidedText(part.name, Qt::ElideMiddle, room));
    }

    static void paintBar(QPainter& painter, double share, QRectF bar) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().rule);
        painter.drawRoundedRect(bar, 1.7, 1.7);
        bar.setWidth(std::max(3.5, bar.width() * share));
        painter.setBrush(theme().isNight ? theme().softInk : QColor("#7E8C8C"));
        painter.drawRoundedRect(bar, 1.7, 1.7);
    }

    const PartsModel& m_model;
};

}  // namespace

PartsList::PartsList(QWidget* parent) : QListView(parent), m_model(new PartsModel(this)) {
    setModel(m_model);
    setItemDelegate(new PartsPainter(*m_model, this));
    setUniformItemSizes(true);
    setVerticalScrollMode(ScrollPerItem);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFrameShape(NoFrame);
    setSelectionMode(SingleSelection);
    setFocusPolicy(Qt::NoFocus);  // single letters are the window's
    connect(this, &QListView::clicked, this, [this](const QModelIndex& index) { emit rowClicked(index.row()); });
    connect(m_model, &QAbstractItemModel::modelReset, this, &PartsList::fit);
}

void PartsList::setRows(std::vector<Row> rows) {
    m_model->set(std::move(rows));
}

void PartsList::mark(int row) {
    if (row < 0) {
        clearSelection();
        setCurrentIndex({});
        return;
    }
    setCurrentIndex(m_model->index(row));
    scrollTo(m_model->index(row));
}

int PartsList::findNext(const QString& text) const {
    const int count = m_model->rowCount();
    const int from = currentIndex().isValid() ? currentIndex().row() + 1 : 0;
    for (int i = 0; i < count; ++i) {
        const int row = (from + i) % count;
        if (m_model->row(row).name.contains(text, Qt::CaseInsensitive)) return row;
    }
    return -1;
}

void PartsList::resizeEvent(QResizeEvent* event) {
    QListView::resizeEvent(event);
    fit();
}

// A row that has no room as a whole is not shown cut.
void PartsList::fit() {
    const int step = rowHeight() + gap;
    const bool isCut = m_model->rowCount() * step - gap > height();
    // The last row needs no gap below it.
    setViewportMargins(0, 0, 0, isCut && height() >= step ? height() % step : 0);
}

}  // namespace um::app
