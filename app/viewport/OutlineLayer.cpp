#include "app/viewport/OutlineLayer.h"

#include "app/theme/Theme.h"

#include <QPainter>

namespace um::app {

OutlineLayer::OutlineLayer(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

void OutlineLayer::setPicture(const QImage& picture) {
    m_picture = picture;
    update();
}

void OutlineLayer::setKeyHeight(int fromBottom) {
    m_fromBottom = fromBottom;
    update();
}

void OutlineLayer::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    if (!m_picture.isNull()) painter.drawImage(rect(), m_picture);
    constexpr int fromRight = 14, square = 10;
    painter.setFont(textFont(-2));
    int x = width() - fromRight;
    const int y = height() - m_fromBottom - square;
    for (const auto& [text, color] :
         {std::pair(tr("grown"), theme().blue), std::pair(tr("outline lost"), theme().brick)}) {
        x -= painter.fontMetrics().horizontalAdvance(text);
        painter.setPen(theme().ink);
        painter.drawText(x, y + square - 1, text);
        x -= square + 5;
        painter.fillRect(x, y, square, square, color);
        x -= 12;
    }
}

}  // namespace um::app
