#pragma once
/// The evidence sheet on paper.
#include <filesystem>
#include <memory>
#include <QTextDocument>

namespace um::app {

/// The sheet laid out for a page of A4, landscape, at 96 dots an inch.
std::unique_ptr<QTextDocument> layOutSheet(const std::string& html);

/// Written aside and renamed. @throws FileError
void writeSheetAsPdf(const std::string& html, const std::filesystem::path& file);

}  // namespace um::app
