// Images of textures of 8 and 16 bits: read, written, made smaller; other people's kinds are written by Qt.
#include "base/Error.h"
#include "files/Image.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <QBuffer>
#include <QImage>
#include <QTest>
#include <set>

using namespace um;

namespace {

// A ramp that goes through more values than eight bits can tell apart, in all channels and not alike.
DeepImage ramp(int width, int height, bool hasAlpha) {
    DeepImage image{width, height, hasAlpha, {}};
    for (int i = 0; i < width * height; ++i) {
        const auto value = std::uint16_t(i * 65535 / (width * height - 1));
        image.texels.push_back({value, std::uint16_t(65535 - value), std::uint16_t(value / 2),
                                hasAlpha ? std::uint16_t(value / 3) : std::uint16_t(65535)});
    }
    return image;
}

Image upperBytes(const DeepImage& deep) {
    Image image{deep.width, deep.height, deep.hasAlpha, {}};
    for (const auto& texel : deep.texels) {
        image.texels.emplace_back();
        for (std::size_t k = 0; k < 4; ++k) image.texels.back()[k] = std::uint8_t(texel[k] >> 8);
    }
    return image;
}

std::string fileOf(const QImage& image, const char* format) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    image.save(&buffer, format, 95);
    return bytes.toStdString();
}

// Waves across in red, along in green.
QImage waves(int size) {
    QImage image(size, size, QImage::Format_ARGB32);
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x)
            image.setPixelColor(
                x, y, QColor(128 + int(100 * std::sin(x * 0.2)), 128 + int(100 * std::sin(y * 0.2)), 90, 255));
    return image;
}

}  // namespace

class ImageTest : public QObject {
    Q_OBJECT

private slots:
    void readsTgaAndBmp() {
        // Two texels a row, blue green red; TGA from below, unless it says otherwise; BMP in rows of four bytes.
        const auto little = [](std::uint32_t value, int bytes) {
            return test::bytesOf(value).substr(0, std::size_t(bytes));
        };
        const std::string texels = "\x01\x02\x03\x04\x05\x06\x07\x08\x09\x0a\x0b\x0c";
        const std::string tga = std::string("\0\0\2", 3) + std::string(9, '\0') + little(2, 2) + little(2, 2) +
                                std::string("\x18\x20", 2) + texels;
        const auto fromTga = decodeTgaOrBmp(tga);
        QVERIFY(fromTga && fromTga->width == 2 && fromTga->height == 2 && !fromTga->hasAlpha);
        QCOMPARE(fromTga->at(0, 0), (std::array<std::uint8_t, 4>{3, 2, 1, 255}));
        QCOMPARE(fromTga->at(1, 1), (std::array<std::uint8_t, 4>{12, 11, 10, 255}));
        const std::string bmp = "BM" + little(70, 4) + little(0, 4) + little(54, 4) + little(40, 4) + little(2, 4) +
                                little(2, 4) + little(1, 2) + little(24, 2) + little(0, 4) + little(16, 4) +
                                little(0, 16).append(12, '\0') + texels.substr(0, 6) + std::string(2, '\0') +
                                texels.substr(6) + std::string(2, '\0');
        const auto fromBmp = decodeTgaOrBmp(bmp);
        QVERIFY(fromBmp && fromBmp->width == 2);
        QCOMPARE(fromBmp->at(0, 1), (std::array<std::uint8_t, 4>{3, 2, 1, 255}));
        // What claims to be larger than its bytes could be, what is cut off, and what is neither.
        std::string bomb = tga;
        bomb[13] = bomb[15] = '\x7f';
        QVERIFY(!decodeTgaOrBmp(bomb));
        QVERIFY(!decodeTgaOrBmp(tga.substr(0, 10)));
        QVERIFY(!decodeTgaOrBmp("nothing of the kind"));
        QVERIFY(!decodeTgaOrBmp(pngOf(*fromTga)));
        QVERIFY(!imageInfo(tga) && !imageInfo(bmp));
        QVERIFY(test::errorOf([&] { decodeImage(tga, "a.tga"); }).contains("a.tga"));
    }

    void tellsWhetherAFileGoesToItsEnd() {
        for (const std::string& file : {fileOf(waves(64), "png"), fileOf(waves(64), "jpg"), pngOf(ramp(9, 9, true))}) {
            QVERIFY(isWholeImage(file));
            QVERIFY(isWholeImage(file + "what a camera adds"));
            for (const std::size_t length : {std::size_t(0), std::size_t(20), file.size() / 2, file.size() - 5})
                QVERIFY2(!isWholeImage(file.substr(0, length)), qPrintable(QString::number(length)));
        }
    }

    void givesBackWhatItWrote_data() {
        QTest::addColumn<bool>("hasAlpha");
        QTest::newRow("opaque") << false;
        QTest::newRow("with alpha") << true;
    }
    void givesBackWhatItWrote() {
        QFETCH(bool, hasAlpha);
        const DeepImage deep = ramp(131, 17, hasAlpha);
        const DeepImage readDeep = decodeDeepImage(pngOf(deep), "ramp");
        QCOMPARE(readDeep.width, 131);
        QCOMPARE(readDeep.height, 17);
        QCOMPARE(readDeep.hasAlpha, hasAlpha);
        QVERIFY(readDeep.texels == deep.texels);
        const Image coarse = upperBytes(deep);
        const Image read = decodeImage(pngOf(coarse), "ramp");
        QCOMPARE(read.hasAlpha, hasAlpha);
        QVERIFY(read.texels == coarse.texels);
        QVERIFY(read.at(130, 16) == coarse.texels.back() && read.at(0, 1) == coarse.texels[131]);
    }

    void readsEitherKindAsTheOther() {
        const DeepImage deep = ramp(64, 64, true);
        const Image coarse = upperBytes(deep);
        QVERIFY(decodeImage(pngOf(deep), "deep").texels == coarse.texels);
        const DeepImage spread = decodeDeepImage(pngOf(coarse), "coarse");
        for (std::size_t i = 0; i < coarse.texels.size(); ++i)
            for (std::size_t k = 0; k < 4; ++k) QCOMPARE(int(spread.texels[i][k]), 257 * int(coarse.texels[i][k]));
    }

    void tellsWhatAFileIs() {
        const DeepImage deep = ramp(20, 10, false);
        const auto sixteen = imageInfo(pngOf(deep)), eight = imageInfo(pngOf(upperBytes(deep)));
        QVERIFY(sixteen && sixteen->width == 20 && sixteen->height == 10 && sixteen->bits == 16);
        QVERIFY(eight && eight->bits == 8 && eight->mimeType == "image/png");
        const auto photo = imageInfo(fileOf(waves(24), "JPG"));
        QVERIFY(photo && photo->width == 24 && photo->bits == 8 && photo->mimeType == "image/jpeg");
        QVERIFY(!imageInfo("GIF89a and so on"));
    }

    void readsTheKindsThatOthersWrite_data() {
        QTest::addColumn<int>("format");
        QTest::newRow("grey") << int(QImage::Format_Grayscale8);
        QTest::newRow("grey of 16 bits") << int(QImage::Format_Grayscale16);
        QTest::newRow("palette") << int(QImage::Format_Indexed8);
        QTest::newRow("one bit") << int(QImage::Format_Mono);
        QTest::newRow("colour") << int(QImage::Format_RGB888);
        QTest::newRow("colour of 16 bits") << int(QImage::Format_RGBX64);
        QTest::newRow("with alpha") << int(QImage::Format_ARGB32);
    }
    void readsTheKindsThatOthersWrite() {
        QFETCH(int, format);
        QImage picture = waves(40);
        const bool hasAlpha = format == int(QImage::Format_ARGB32);
        if (hasAlpha)
            for (int x = 0; x < 40; ++x) picture.setPixelColor(x, 7, QColor(10, 200, 30, 5 + 6 * x));
        const QImage kind = picture.convertToFormat(QImage::Format(format));
        const Image read = decodeImage(fileOf(kind, "PNG"), "kind");
        const QImage expected = kind.convertToFormat(QImage::Format_RGBA8888);
        QCOMPARE(read.width, 40);
        const bool isDeep = format == int(QImage::Format_Grayscale16) || format == int(QImage::Format_RGBX64);
        QCOMPARE(imageInfo(fileOf(kind, "PNG"))->bits, isDeep ? 16 : 8);
        const DeepImage deep = decodeDeepImage(fileOf(kind, "PNG"), "kind");
        if (hasAlpha) QVERIFY(read.hasAlpha);
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 40; ++x) {
                const QColor color = expected.pixelColor(x, y);
                const auto& texel = read.at(x, y);
                // Qt rounds 16 bits to 8 where others cut.
                QVERIFY(std::abs(int(texel[0]) - color.red()) <= 1 && std::abs(int(texel[1]) - color.green()) <= 1 &&
                        std::abs(int(texel[2]) - color.blue()) <= 1 && int(texel[3]) == color.alpha());
                for (std::size_t k = 0; k < 4; ++k) QCOMPARE(int(deep.at(x, y)[k] >> 8), int(texel[k]));
            }
    }

    void readsPhotos() {
        const QImage picture = waves(64);
        const Image read = decodeImage(fileOf(picture, "JPG"), "photo");
        QVERIFY(!read.hasAlpha);
        double off = 0;
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x) off += std::abs(int(read.at(x, y)[0]) - picture.pixelColor(x, y).red());
        QVERIFY2(off / (64 * 64) < 4, qPrintable(QString::number(off / (64 * 64))));
    }

    // Torn anywhere but within its end mark.
    void saysWhichImageIsDamaged() {
        const std::string whole = pngOf(ramp(9, 9, true));
        for (std::size_t length = 0; length + 16 < whole.size(); ++length) {
            const std::string torn = whole.substr(0, length);
            QVERIFY2(test::errorOf([&] { decodeImage(torn, "the torn one"); }).contains("the torn one"),
                     qPrintable(QString::number(length)));
            QVERIFY(!test::errorOf([&] { decodeDeepImage(torn, "x"); }).isEmpty());
        }
        QVERIFY(test::errorOf([] { decodeImage("", "nothing"); }).contains("put a sound PNG or JPEG in its place"));
        QVERIFY(!test::errorOf([] { decodeDeepImage("no image at all", "words"); }).isEmpty());
        // A size that no memory holds.
        std::string huge = whole;
        for (const std::size_t at : {16u, 20u}) huge.replace(at, 4, "\x7f\xff\xff\xff", 4);
        QVERIFY(!test::errorOf([&] { decodeImage(huge, "huge"); }).isEmpty());
    }

    void makesPlainOnesSmallerWithoutATrace_data() {
        QTest::addColumn<int>("meaning");
        QTest::newRow("colours") << int(ImageMeaning::Light);
        QTest::newRow("data") << int(ImageMeaning::Data);
    }
    void makesPlainOnesSmallerWithoutATrace() {
        QFETCH(int, meaning);
        const std::array<std::uint16_t, 4> texel{40000, 301, 65535, 12345};
        for (const auto& [width, height] : {std::pair(7, 5), std::pair(1, 1), std::pair(30, 3)}) {
            const DeepImage plain{30, 20, true, std::vector(600, texel)};
            const DeepImage small = shrunk(plain, width, height, ImageMeaning(meaning));
            QCOMPARE(small.texels.size(), std::size_t(width) * std::size_t(height));
            QVERIFY(small.hasAlpha);
            for (const auto& one : small.texels) QVERIFY(one == texel);
            const Image coarse = shrunk(upperBytes(plain), width, height, ImageMeaning(meaning));
            for (const auto& one : coarse.texels) QVERIFY(one == upperBytes(plain).texels[0]);
        }
    }

    // Each small texel is the mean of those it stands for, no less and no more: of a ramp, the ramp.
    void keepsARampsPlaceAndSteps() {
        const DeepImage wide = ramp(1024, 1, false);
        const DeepImage small = shrunk(wide, 512, 1, ImageMeaning::Data);
        std::set<std::uint16_t> values;
        for (int x = 0; x < 512; ++x) {
            const double mean = (double(wide.at(2 * x, 0)[0]) + double(wide.at(2 * x + 1, 0)[0])) / 2;
            QVERIFY(std::abs(double(small.at(x, 0)[0]) - mean) <= 0.5);
            values.insert(small.at(x, 0)[0]);
        }
        QCOMPARE(values.size(), std::size_t(512));
    }

    void keepsNormalsUnitLong() {
        DeepImage normals{64, 64, false, {}};
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x) {
                const double u = 0.8 * std::sin(x * 0.9), v = 0.5 * std::cos(y * 0.7), w = std::sqrt(1 - u * u - v * v);
                const auto stored = [](double value) { return std::uint16_t(std::lround((value + 1) / 2 * 65535)); };
                normals.texels.push_back({stored(u), stored(v), stored(w), 65535});
            }
        const DeepImage small = shrunk(normals, 9, 9, ImageMeaning::Normals);
        for (const auto& texel : small.texels) {
            double square = 0;
            for (std::size_t k = 0; k < 3; ++k) square += std::pow(2 * double(texel[k]) / 65535 - 1, 2);
            QVERIFY2(std::abs(square - 1) < 2e-4, qPrintable(QString::number(square)));
        }
    }

    void goesFromValuesToLightAndBack() {
        for (int v = 0; v < 256; ++v) {
            QCOMPARE(int(valueOf(lightOf(std::uint8_t(v)))), v);
            QVERIFY(std::abs(decodedLight(v / 255.0) - lightOf(std::uint8_t(v))) < 1e-12);
        }
        for (double value = 0; value <= 1; value += 1.0 / 4096)
            QVERIFY(std::abs(encodedLight(decodedLight(value)) - value) < 1e-6);
        // What the standard (IEC 61966-2-1) says of middle grey.
        QVERIFY(std::abs(decodedLight(0.5) - 0.21404) < 1e-5);
    }
};

UM_TEST(ImageTest)
#include "ImageTest.moc"
