#include "app/panels/EvidenceSheet.h"

#include "base/Error.h"
#include "base/File.h"

#include <QPageLayout>
#include <QPdfWriter>

namespace um::app {

namespace {

constexpr int dotsPerInch = 96;

QPageLayout layout() {
    return {QPageSize(QPageSize::A4), QPageLayout::Landscape, QMarginsF(12, 12, 12, 12), QPageLayout::Millimeter};
}

}  // namespace

std::unique_ptr<QTextDocument> layOutSheet(const std::string& html) {
    auto sheet = std::make_unique<QTextDocument>();
    sheet->setDocumentMargin(0);
    sheet->setHtml(QString::fromStdString(html));
    sheet->setPageSize(layout().paintRectPixels(dotsPerInch).size());
    return sheet;
}

void writeSheetAsPdf(const std::string& html, const std::filesystem::path& file) {
    writeWholeByName(file, [&](const std::filesystem::path& aside) {
        QPdfWriter writer(QString::fromStdString(aside.string()));
        writer.setPageLayout(layout());
        writer.setResolution(dotsPerInch);
        layOutSheet(html)->print(&writer);
        std::error_code error;
        if (std::filesystem::file_size(aside, error) == 0 || error)
            throw FileError(file.string() +
                            " cannot be written; check the folder, its permissions and the free space.");
    });
}

}  // namespace um::app
