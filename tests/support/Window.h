#pragma once
/// Driving the real window: waiting for what it computes, and looking at what it shows.
#include "app/MainWindow.h"
#include "app/panels/MessageBar.h"
#include "app/viewport/ViewArea.h"

#include <QApplication>
#include <QLabel>
#include <QPushButton>
#include <QTest>

namespace um::test {

/// Lets the window live until `condition` holds. @returns whether it did within `seconds`
template <class Condition>
bool waitUntil(const Condition& condition, int seconds = 60) {
    QElapsedTimer clock;
    clock.start();
    while (!condition() && clock.elapsed() < 1000 * seconds) QTest::qWait(10);
    return condition();
}

/// Until everything is read, computed, measured and drawn.
inline bool waitUntilIdle(app::MainWindow& window, int seconds = 120) {
    return waitUntil(
        [&] { return !window.openJob().isRunning() && !window.saveJob().isRunning() && window.desk().isIdle(); },
        seconds);
}

/// Shows a window and makes it the one that keys go to; no window manager does that here.
inline bool showActive(QWidget& window) {
    window.show();
    if (!QTest::qWaitForWindowExposed(&window)) return false;
    window.activateWindow();
    QApplication::setActiveWindow(&window);
    return QApplication::activeWindow() == &window;
}

/// What the viewport shows.
inline QImage pictureOf(app::MainWindow& window) {
    return window.desk().view().viewport().grabFramebuffer().convertToFormat(QImage::Format_RGB32);
}

/// How many pixels differ clearly.
inline int differingPixels(const QImage& a, const QImage& b) {
    int count = 0;
    for (int y = 0; y < std::min(a.height(), b.height()); ++y)
        for (int x = 0; x < std::min(a.width(), b.width()); ++x) {
            const QColor p = a.pixelColor(x, y), q = b.pixelColor(x, y);
            count += std::abs(p.red() - q.red()) + std::abs(p.green() - q.green()) + std::abs(p.blue() - q.blue()) > 40
                         ? 1
                         : 0;
        }
    return count;
}

/// What a panel's labels say.
inline QStringList textsOf(const QWidget& widget) {
    QStringList texts;
    for (const QLabel* label : widget.findChildren<QLabel*>())
        if (!label->isHidden()) texts += label->text();
    return texts;
}

/// The visible button with that text below `parent`.
inline QPushButton* buttonNamed(QWidget& parent, const QString& text) {
    for (QPushButton* button : parent.findChildren<QPushButton*>())
        if (button->text() == text && button->isVisible()) return button;
    return nullptr;
}

}  // namespace um::test
