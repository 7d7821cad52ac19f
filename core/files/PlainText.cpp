#include "files/PlainText.h"

#include "base/Error.h"

#include <iconv.h>
#include <memory>

namespace um {

bool isUtf16(std::string_view bytes) {
    if (bytes.size() < 4) return false;
    return (bytes.starts_with("\xff\xfe") && bytes[3] == 0) || (bytes.starts_with("\xfe\xff") && bytes[2] == 0);
}

PlainText::PlainText(const std::filesystem::path& path, std::string_view bytes) : m_view(bytes) {
    if (bytes.starts_with(utf8Mark)) m_view.remove_prefix(utf8Mark.size());
    if (!isUtf16(bytes)) return;
    const auto closed = [](iconv_t converter) { iconv_close(converter); };
    const std::unique_ptr<void, decltype(closed)> converter(iconv_open("UTF-8", "UTF-16"), closed);
    // A UTF-16 unit of two bytes takes three bytes of UTF-8 at most.
    m_converted.resize(bytes.size() / 2 * 3 + 4);
    char* from = const_cast<char*>(bytes.data());
    char* to = m_converted.data();
    std::size_t left = bytes.size(), room = m_converted.size();
    if (iconv(converter.get(), &from, &left, &to, &room) == std::size_t(-1))
        throw FileError(path.string() + " is text in UTF-16 that is damaged or cut off; save it again as UTF-8.");
    m_converted.resize(m_converted.size() - room);
    m_view = m_converted;
}

}  // namespace um
