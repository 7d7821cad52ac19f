#pragma once
/// The evidence sheet: what was lost in each level, in figures and pictures, to be signed off and compared later.
#include "document/Document.h"

namespace um {

/// One self-contained HTML page: the same pictures of source and levels from fixed directions, close and at true size,
/// deviation and outline tables, histograms, findings, settings and hashes. What has not been measured yet is measured.
/// The same document gives the same page, but for the date.
/// @param date  as it is to stand on the page
/// @throws MeshError, Cancelled
std::string reportHtml(const Document& document, const std::string& date, const Progress& progress);

}  // namespace um
