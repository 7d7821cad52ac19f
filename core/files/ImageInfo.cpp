#include "files/ImageInfo.h"

#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_PNG
#define STBI_ONLY_JPEG
#define STBI_NO_STDIO
// The library's own; inlined, they come up anywhere in this file.
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#include <stb/stb_image.h>

namespace um {

std::optional<ImageInfo> imageInfo(std::string_view bytes) {
    ImageInfo info;
    int channels = 0;
    if (bytes.size() > 0x7fffffff ||
        stbi_info_from_memory(reinterpret_cast<const stbi_uc*>(bytes.data()), int(bytes.size()), &info.width,
                              &info.height, &channels) == 0 ||
        info.width <= 0 || info.height <= 0)
        return std::nullopt;
    info.mimeType = bytes.starts_with("\x89PNG") ? "image/png" : "image/jpeg";
    return info;
}

}  // namespace um
