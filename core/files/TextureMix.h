#pragma once
/// Textures that a format keeps apart and our materials keep together, put into one; and taken apart again.
#include "files/Image.h"
#include "mesh/Mesh.h"

namespace um {

/// Whether an image holds the directions of a normal map, by its colours: mostly the blue of what is flat.
bool looksLikeNormals(const Image& image);

/// Roughness in green and metalness in blue, as our materials want it; what is null is 1 everywhere. As large as the
/// larger one.
/// @param roughness, metalness  grey
Image metalRoughness(const Image* roughness, const Image* metalness);

/// A base colour whose alpha is another image's grey. As large as the larger one.
Image withOpacity(const Image& color, const Image& opacity);

/// One of the values of each texel, times a factor from 0 to 1, as grey. @param channel  0 red to 3 alpha
Image channelOf(const Image& image, std::size_t channel, float factor);

/// Mask where nearly all texels are either there or not, as of leaves; Blend where they are in between, as of glass;
/// Opaque where all are there.
Material::Alpha alphaKind(const Image& image);

}  // namespace um
