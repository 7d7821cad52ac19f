#pragma once
/// What an image file says about itself, without decoding it.
#include <optional>
#include <string>
#include <string_view>

namespace um {

struct ImageInfo {
    int width = 0, height = 0;
    std::string mimeType;  ///< image/png or image/jpeg
};

/// Nothing if the bytes are neither a PNG nor a JPEG file.
std::optional<ImageInfo> imageInfo(std::string_view bytes);

}  // namespace um
