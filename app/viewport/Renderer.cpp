#include "app/viewport/Renderer.h"

#include "app/viewport/Shaders.h"

#include <cmath>
#include <QElapsedTimer>
#include <QObject>

namespace um::app {
namespace {

enum Attribute : GLuint { Position, Normal, VertexColor, Value, Uv, Tangent };

QVector3D vectorOf(const QColor& color) {
    return {float(color.redF()), float(color.greenF()), float(color.blueF())};
}

// Screen colours are what the theme and the eye speak of; materials are linear.
QVector3D screenColor(const std::array<float, 4>& linear) {
    const auto encode = [](float x) { return x <= 0.0031308f ? 12.92f * x : 1.055f * std::pow(x, 1 / 2.4f) - 0.055f; };
    return {encode(linear[0]), encode(linear[1]), encode(linear[2])};
}

}  // namespace

GpuMesh::GpuMesh(std::shared_ptr<const DrawMesh> mesh) : m_mesh(std::move(mesh)) {}

GpuMesh::~GpuMesh() {
    if (!m_created) return;
    glDeleteBuffers(GLsizei(m_buffers.size()), m_buffers.data());
    glDeleteTextures(GLsizei(m_textures.size()), m_textures.data());
}

void GpuMesh::create() {
    initializeOpenGLFunctions();
    m_created = true;
    m_arrays.create();
    m_arrays.bind();
    const auto add = [&](GLenum target, const void* data, std::size_t size) {
        GLuint buffer = 0;
        glGenBuffers(1, &buffer);
        glBindBuffer(target, buffer);
        glBufferData(target, GLsizeiptr(size), nullptr, GL_STATIC_DRAW);
        m_buffers.push_back(buffer);
        m_waiting.push_back({target, buffer, data, size});
    };
    const auto attribute = [&](Attribute at, int components, GLenum type, bool normalised, std::size_t stride) {
        glEnableVertexAttribArray(at);
        glVertexAttribPointer(at, components, type, normalised ? GL_TRUE : GL_FALSE, GLsizei(stride), nullptr);
    };
    const auto positions = m_mesh->positions();
    add(GL_ARRAY_BUFFER, positions.data(), positions.size_bytes());
    attribute(Position, 3, GL_FLOAT, false, sizeof(Vec3f));
    add(GL_ARRAY_BUFFER, m_mesh->normals.data(), m_mesh->normals.size() * sizeof(DrawMesh::PackedNormal));
    attribute(Normal, 3, GL_SHORT, true, sizeof(DrawMesh::PackedNormal));
    if (!m_mesh->colors.empty()) {
        add(GL_ARRAY_BUFFER, m_mesh->colors.data(), m_mesh->colors.size() * sizeof(Color));
        attribute(VertexColor, 4, GL_UNSIGNED_BYTE, true, sizeof(Color));
    }
    if (!m_mesh->uvs.empty()) {
        add(GL_ARRAY_BUFFER, m_mesh->uvs.data(), m_mesh->uvs.size() * sizeof(Vec2f));
        attribute(Uv, 2, GL_FLOAT, false, sizeof(Vec2f));
        if (!m_mesh->tangents.empty()) {
            add(GL_ARRAY_BUFFER, m_mesh->tangents.data(), m_mesh->tangents.size() * sizeof(DrawMesh::PackedNormal));
            attribute(Tangent, 4, GL_SHORT, true, sizeof(DrawMesh::PackedNormal));
        }
        createTextures();
    }
    const auto triangles = m_mesh->triangles();
    add(GL_ELEMENT_ARRAY_BUFFER, triangles.data(), triangles.size_bytes());
    m_arrays.release();
    if (m_values) addValues();
}

void GpuMesh::createTextures() {
    const auto wrapCode = [](Texture::Wrap wrap) {
        return wrap == Texture::Wrap::Clamp    ? GL_CLAMP_TO_EDGE
               : wrap == Texture::Wrap::Mirror ? GL_MIRRORED_REPEAT
                                               : GL_REPEAT;
    };
    for (const auto& texture : m_mesh->textures) {
        m_textures.push_back(0);
        if (!texture) continue;
        glGenTextures(1, &m_textures.back());
        glBindTexture(GL_TEXTURE_2D, m_textures.back());
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, wrapCode(texture->wrapU));
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, wrapCode(texture->wrapV));
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAX_LEVEL, GLint(texture->levels.size()) - 1);
        for (std::size_t level = 0; level < texture->levels.size(); ++level) {
            const QImage& image = texture->levels[level];
            glTexImage2D(GL_TEXTURE_2D, GLint(level), GL_RGBA8, image.width(), image.height(), 0, GL_RGBA,
                         GL_UNSIGNED_BYTE, nullptr);
            m_waitingBands.push_back({m_textures.back(), int(level), &image, 0});
        }
    }
    glBindTexture(GL_TEXTURE_2D, 0);
}

bool GpuMesh::bindTexture(const TextureUse& use, int unit) {
    const auto number = std::size_t(use.texture);
    if (!use || use.second || number >= m_textures.size() || m_textures[number] == 0) return false;
    glActiveTexture(GLenum(GL_TEXTURE0 + unit));
    glBindTexture(GL_TEXTURE_2D, m_textures[number]);
    glActiveTexture(GL_TEXTURE0);
    return true;
}

// About a megabyte of the next texture. @returns whether anything waits still
bool GpuMesh::uploadBand() {
    if (m_waitingBands.empty()) return false;
    constexpr int bandTexels = 1 << 18;
    Band& band = m_waitingBands.back();
    const QImage& image = *band.image;
    const int rows = std::min(image.height() - band.nextRow, std::max(1, bandTexels / image.width()));
    glBindTexture(GL_TEXTURE_2D, band.texture);
    glTexSubImage2D(GL_TEXTURE_2D, band.level, 0, band.nextRow, image.width(), rows, GL_RGBA, GL_UNSIGNED_BYTE,
                    image.constScanLine(band.nextRow));
    glBindTexture(GL_TEXTURE_2D, 0);
    band.nextRow += rows;
    if (band.nextRow == image.height()) m_waitingBands.pop_back();
    return !m_waitingBands.empty();
}

void GpuMesh::setValues(const Values& values) {
    if (values == m_values) return;
    m_values = values;
    if (m_created && m_values) addValues();
}

// They change while everything else stays: after new measurements, and with the tint.
void GpuMesh::addValues() {
    // What waits of older ones would go into the same buffer.
    const auto isOld = [&](const Slice& slice) { return slice.buffer == m_valueBuffer; };
    if (!m_waiting.empty() && isOld(m_waiting.front())) m_offset = 0;
    std::erase_if(m_waiting, isOld);
    if (m_valueBuffer == 0) {
        glGenBuffers(1, &m_valueBuffer);
        m_buffers.push_back(m_valueBuffer);
    }
    m_arrays.bind();
    glBindBuffer(GL_ARRAY_BUFFER, m_valueBuffer);
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(m_values->size() * sizeof(float)), nullptr, GL_STATIC_DRAW);
    glEnableVertexAttribArray(Value);
    glVertexAttribPointer(Value, 1, GL_FLOAT, GL_FALSE, sizeof(float), nullptr);
    m_arrays.release();
    m_waiting.push_back({GL_ARRAY_BUFFER, m_valueBuffer, m_values->data(), m_values->size() * sizeof(float)});
    m_complete = false;
}

bool GpuMesh::upload(int milliseconds) {
    if (m_complete) return true;
    if (!m_created) create();
    constexpr std::size_t sliceSize = 4 << 20;
    QElapsedTimer clock;
    clock.start();
    while (!m_waiting.empty() && clock.elapsed() < milliseconds) {
        const Slice& slice = m_waiting.front();
        const std::size_t size = std::min(sliceSize, slice.size - m_offset);
        // The copy target leaves the vertex array's own binding of the indices alone.
        glBindBuffer(GL_COPY_WRITE_BUFFER, slice.buffer);
        glBufferSubData(GL_COPY_WRITE_BUFFER, GLintptr(m_offset), GLsizeiptr(size),
                        static_cast<const char*>(slice.data) + m_offset);
        m_offset += size;
        if (m_offset < slice.size) continue;
        m_offset = 0;
        m_waiting.erase(m_waiting.begin());
    }
    while (m_waiting.empty() && clock.elapsed() < milliseconds && uploadBand()) {
    }
    m_complete = m_waiting.empty() && m_waitingBands.empty();
    return m_complete;
}

QString Renderer::initialise() {
    if (!initializeOpenGLFunctions())
        return QObject::tr(
            "The graphics driver offers no OpenGL 3.3. Update the driver, or install Mesa's software one "
            "(package libgl1-mesa-dri) and start again.");
    const bool surfaceFine = m_surface.addShaderFromSourceCode(QOpenGLShader::Vertex, surfaceVertexShader) &&
                             m_surface.addShaderFromSourceCode(QOpenGLShader::Fragment, surfaceFragmentShader) &&
                             m_surface.link();
    const bool sizedFine = m_sized.addShaderFromSourceCode(QOpenGLShader::Vertex, sizedVertexShader) &&
                           m_sized.addShaderFromSourceCode(QOpenGLShader::Geometry, sizedGeometryShader) &&
                           m_sized.addShaderFromSourceCode(QOpenGLShader::Fragment, surfaceFragmentShader) &&
                           m_sized.link();
    const bool backgroundFine =
        m_background.addShaderFromSourceCode(QOpenGLShader::Vertex, backgroundVertexShader) &&
        m_background.addShaderFromSourceCode(QOpenGLShader::Fragment, backgroundFragmentShader) && m_background.link();
    m_nothing.create();
    if (!surfaceFine || !sizedFine || !backgroundFine)
        return QObject::tr(
            "The graphics driver does not accept the program's shaders. Update the driver and start again.");
    return {};
}

void Renderer::drawBackground(const Theme& theme) {
    glDisable(GL_BLEND);
    glEnable(GL_DEPTH_TEST);
    glDepthMask(GL_TRUE);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glDepthMask(GL_FALSE);
    m_background.bind();
    m_background.setUniformValue("top", vectorOf(theme.viewportTop));
    m_background.setUniformValue("bottom", vectorOf(theme.viewportBottom));
    m_nothing.bind();
    glDrawArrays(GL_TRIANGLES, 0, 3);
    m_nothing.release();
    glDepthMask(GL_TRUE);
}

QVector3D Light::direction() const {
    return {float(std::sin(yaw) * std::cos(pitch)), float(std::sin(pitch)), float(std::cos(yaw) * std::cos(pitch))};
}

void Renderer::setMaterial(QOpenGLShaderProgram& program, GpuMesh& mesh, const Material& material, const Look& look,
                           const Theme& theme) {
    const DrawMesh& source = mesh.source();
    const auto number = std::uint32_t(&material - source.mesh->materials.data());
    const bool showsMisses = look.misses && look.misses->mesh == source.mesh && !source.uvs.empty();
    program.setUniformValue("showMisses", showsMisses && bindMisses(look.misses, number));
    program.setUniformValue("misses", 5);
    QVector3D ground = look.lit ? screenColor(material.baseColor) : vectorOf(theme.clay);
    const auto shows = [&](LookPart part) { return (look.without & part) == 0; };
    const auto bind = [&](const TextureUse& use, int unit, const char* sampler, LookPart part) {
        program.setUniformValue(sampler, unit);
        return look.lit && shows(part) && !source.uvs.empty() && mesh.bindTexture(use, unit);
    };
    if (look.lit && !shows(LookColor)) ground = vectorOf(theme.clay);
    const bool showsTexture = bind(material.baseColorTexture, 0, "picture", LookColor);
    // A likeness has no UVs: it has the texture's colour over all.
    const DrawTexture* texture = source.textureOf(material.baseColorTexture);
    if (look.lit && shows(LookColor) && texture != nullptr && !showsTexture) ground *= vectorOf(texture->mean());
    program.setUniformValue("showChecker", look.checker && !source.uvs.empty());
    const bool cutsOut = look.lit && material.alpha == Material::Alpha::Mask;
    program.setUniformValue("ground", ground);
    program.setUniformValue("showTexture", showsTexture);
    program.setUniformValue("opacity",
                            look.lit && material.alpha != Material::Alpha::Opaque ? material.baseColor[3] : 1.0f);
    program.setUniformValue("cutoff", cutsOut ? material.alphaCutoff : -1.0f);
    program.setUniformValue("metalness", material.metallic);
    program.setUniformValue("roughness", material.roughness);
    const bool glows = shows(LookEmission);
    program.setUniformValue("emission", glows ? material.emission[0] : 0.0f, glows ? material.emission[1] : 0.0f,
                            glows ? material.emission[2] : 0.0f);
    program.setUniformValue("normalStrength", material.normalTexture.strength);
    program.setUniformValue("occlusionStrength", material.occlusionTexture.strength);
    program.setUniformValue("hasNormalMap",
                            !source.tangents.empty() && bind(material.normalTexture, 1, "normalMap", LookNormal));
    program.setUniformValue("hasSurfaceMap", bind(material.metallicRoughnessTexture, 2, "surfaceMap", LookSurface));
    program.setUniformValue("hasOcclusionMap", bind(material.occlusionTexture, 3, "occlusionMap", LookOcclusion));
    program.setUniformValue("hasEmissionMap", bind(material.emissionTexture, 4, "emissionMap", LookEmission));
}

bool Renderer::bindMisses(const std::shared_ptr<const MissPictures>& misses, std::uint32_t material) {
    if (m_missesThere != misses) {
        release();
        m_missesThere = misses;
        for (const QImage& image : misses->sheets) {
            GLuint& texture = m_missTextures.emplace_back();
            glGenTextures(1, &texture);
            glBindTexture(GL_TEXTURE_2D, texture);
            for (const GLenum name : {GL_TEXTURE_MIN_FILTER, GL_TEXTURE_MAG_FILTER})
                glTexParameteri(GL_TEXTURE_2D, name, GL_LINEAR);
            glPixelStorei(GL_UNPACK_ALIGNMENT, 1);
            glTexImage2D(GL_TEXTURE_2D, 0, GL_R8, image.width(), image.height(), 0, GL_RED, GL_UNSIGNED_BYTE, nullptr);
            for (int y = 0; y < image.height(); ++y)
                glTexSubImage2D(GL_TEXTURE_2D, 0, 0, y, image.width(), 1, GL_RED, GL_UNSIGNED_BYTE,
                                image.constScanLine(y));
            glPixelStorei(GL_UNPACK_ALIGNMENT, 4);
        }
    }
    if (material >= misses->sheetOf.size() || misses->sheetOf[material] >= m_missTextures.size()) return false;
    glActiveTexture(GL_TEXTURE5);
    glBindTexture(GL_TEXTURE_2D, m_missTextures[misses->sheetOf[material]]);
    glActiveTexture(GL_TEXTURE0);
    return true;
}

void Renderer::release() {
    if (!m_missTextures.empty()) glDeleteTextures(GLsizei(m_missTextures.size()), m_missTextures.data());
    m_missTextures.clear();
    m_missesThere.reset();
}

void Renderer::Run::add(std::size_t triangle, std::size_t count) {
    if (counts.empty() || triangle != end) {
        counts.push_back(0);
        places.push_back(reinterpret_cast<const void*>(triangle * sizeof(Triangle)));
    }
    counts.back() += GLsizei(3 * count);
    end = triangle + count;
}

void Renderer::drawRun(QOpenGLShaderProgram& program, GpuMesh& mesh, const Run& run, const Look& look,
                       const Theme& theme, bool isSurface) {
    if (run.material == nullptr) return;
    setMaterial(program, mesh, *run.material, look, theme);
    program.setUniformValue("fade", run.isFaded ? 0.72f : 0.0f);
    const bool blends = look.lit && isSurface && run.material->alpha == Material::Alpha::Blend;
    if (blends) {
        glEnable(GL_BLEND);
        // The picture itself stays opaque, whatever is seen through in it.
        glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ZERO, GL_ONE);
        glDepthMask(GL_FALSE);
    }
    glMultiDrawElements(GL_TRIANGLES, run.counts.data(), GL_UNSIGNED_INT, run.places.data(),
                        GLsizei(run.counts.size()));
    if (blends) {
        glDisable(GL_BLEND);
        glDepthMask(GL_TRUE);
    }
}

void Renderer::draw(GpuMesh& mesh, const Eye& eye, const Look& look, const Theme& theme, std::size_t first,
                    std::size_t count, const Ink& ink, std::size_t likenessOf) {
    const bool isSurface = ink.as == Ink::As::Surface;
    const DrawMesh& source = mesh.source();
    const bool isSized = look.tint == Tint::PixelLoad && isSurface;
    const bool isTinted = isSized || (look.tint != Tint::None && mesh.hasValues());
    QOpenGLShaderProgram& program = isSized ? m_sized : m_surface;
    glEnable(GL_DEPTH_TEST);
    glDepthFunc(GL_LEQUAL);
    program.bind();
    program.setUniformValue("view", QMatrix4x4(eye.view.data()).transposed());
    program.setUniformValue("projection", QMatrix4x4(eye.projection.data()).transposed());
    program.setUniformValue("paper", vectorOf(theme.viewportBottom));
    program.setUniformValue("tint", isTinted ? int(look.tint) : 0);
    program.setUniformValue("pixelsPerUnit", look.pixelsPerUnit);
    program.setUniformValue("triangleShare",
                            float(double(mesh.triangleCount()) / double(std::max<std::size_t>(1, likenessOf))));
    program.setUniformValue("toLight", look.light.direction());
    program.setUniformValue("showVertexColor", look.lit && !source.colors.empty());
    program.setUniformValue("tolerance", look.tolerance);
    program.setUniformValue("slightlyOut", vectorOf(theme.amber));
    program.setUniformValue("farOut", vectorOf(theme.brick));
    program.setUniformValue("slightlyIn", vectorOf(theme.slightBlue));
    program.setUniformValue("farIn", vectorOf(theme.blue));
    program.setUniformValue("edgeAlpha", isSurface ? 0.0f : ink.alpha);
    program.setUniformValue("edgeColor", ink.accent      ? vectorOf(theme.accent)
                                         : theme.isNight ? QVector3D(0.05f, 0.07f, 0.08f)
                                                         : vectorOf(theme.ink));
    if (!isSurface) {
        if (ink.as == Ink::As::Edges) glPolygonMode(GL_FRONT_AND_BACK, GL_LINE);
        glEnable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        glDepthMask(GL_FALSE);
    } else if (look.edges) {
        // Surfaces step back a little, so that their edges lie in front of them.
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1, 1);
    }
    mesh.bind();
    program.setUniformValue("isLit", look.lit);
    // In the order in which sections are drawn, of which a slice may hold any part. Thousands that look alike go to the
    // driver together.
    Run run;
    const std::size_t last = first + count;
    std::size_t passed = 0;
    for (const std::uint32_t number : source.order) {
        const Section& section = source.mesh->sections[number];
        const std::size_t begin = std::max(first, passed), end = std::min(last, passed + section.triangleCount);
        const std::size_t place = section.firstTriangle + begin - passed;
        passed += section.triangleCount;
        if (begin >= end) continue;
        const Material& material = source.mesh->materials[section.material];
        const bool isFaded = look.part >= 0 && std::uint32_t(look.part) != section.part;
        if (run.material != &material || run.isFaded != isFaded) {
            drawRun(program, mesh, run, look, theme, isSurface);
            run = {&material, isFaded, {}, {}, 0};
        }
        run.add(place, end - begin);
    }
    drawRun(program, mesh, run, look, theme, isSurface);
    glBindVertexArray(0);
    glPolygonMode(GL_FRONT_AND_BACK, GL_FILL);
    glDisable(GL_BLEND);
    glDisable(GL_POLYGON_OFFSET_FILL);
    glDepthMask(GL_TRUE);
}

}  // namespace um::app
