// What is seen of the level at the viewer's distance, pixel by pixel, and enlarged.
#include "app/viewport/Overlays.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

using namespace um::app;

class AsSeenTest : public QObject {
    Q_OBJECT

private slots:
    void enlargesWhatThereIsOfAFlatAsset() {
        // A plate of six rows in the middle, wide enough that its height says nothing about where it is.
        QImage picture(AsSeenInset::pictureSize, AsSeenInset::pictureSize, QImage::Format_RGB32);
        for (int y = 0; y < picture.height(); ++y)
            for (int x = 0; x < picture.width(); ++x)
                picture.setPixel(x, y, y >= 51 && y < 57 && x > 4 ? qRgb(200, 20, 20) : qRgb(200 + y / 3, 210, 220));
        QWidget area;
        AsSeenInset inset(&area);
        inset.setViewer(100, 97);
        inset.setPictures(picture, {});
        const QImage seen = inset.grab().toImage();
        int red = 0;
        for (int y = 0; y < seen.height(); ++y)
            for (int x = seen.width() / 2; x < seen.width(); ++x)
                red += qRed(seen.pixel(x, y)) > 150 && qGreen(seen.pixel(x, y)) < 60 ? 1 : 0;
        QVERIFY2(red > 4 * 6 * AsSeenInset::pictureSize * 9 / 10, qPrintable(QString::number(red)));
    }

    void givesAWideAssetTheCropsPlaceToo() {
        constexpr int one = AsSeenInset::pictureSize;
        QCOMPARE(AsSeenInset::pictureFor({100, 90}), QSize(one, one));
        QCOMPARE(AsSeenInset::pictureFor({60, 400}), QSize(one, one));   // close up: a part of it, and its top
        QCOMPARE(AsSeenInset::pictureFor({900, 400}), QSize(one, one));  // likewise
        const QSize wide = AsSeenInset::pictureFor({200, 30});
        QVERIFY(wide.height() == one && wide.width() > 2 * one);
        QImage picture(wide, QImage::Format_RGB32);
        picture.fill(qRgb(200, 20, 20));
        QWidget area;
        AsSeenInset inset(&area);
        inset.setViewer(100, 30);
        inset.setPictures(picture, {});
        const QImage seen = inset.grab().toImage();
        // Every pixel of it, from end to end.
        int red = 0;
        for (int y = 0; y < seen.height(); ++y)
            for (int x = 0; x < seen.width(); ++x) red += seen.pixel(x, y) == qRgb(200, 20, 20) ? 1 : 0;
        QCOMPARE(red, wide.width() * wide.height());
        QVERIFY(!inset.toolTip().contains("enlarged"));
    }
};

UM_TEST(AsSeenTest)
#include "AsSeenTest.moc"
