#include "app/viewport/Renderer.h"

#include <QElapsedTimer>
#include <QObject>

namespace um::app {
namespace {

enum Attribute : GLuint { Position, Normal, VertexColor, DeviationValue };

constexpr const char* surfaceVertexShader = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 vertexColor;
layout(location = 3) in float deviation;
uniform mat4 view;
uniform mat4 projection;
out vec3 eyeNormal;
out vec3 eyePlace;
out vec3 ownColor;
out float distanceOff;
void main() {
    vec4 place = view * vec4(position, 1.0);
    eyePlace = place.xyz;
    eyeNormal = mat3(view) * normal;
    ownColor = vertexColor.rgb;
    distanceOff = deviation;
    gl_Position = projection * place;
}
)";

// Light stands above the viewer's left shoulder; what faces away still shows its shape by a weaker light from below.
constexpr const char* surfaceFragmentShader = R"(#version 330 core
in vec3 eyeNormal;
in vec3 eyePlace;
in vec3 ownColor;
in float distanceOff;
uniform vec3 ground;
uniform float gloss;
uniform float fade;
uniform vec3 paper;
uniform bool showVertexColor;
uniform bool showDeviation;
uniform float tolerance;
uniform vec3 slightlyOut;
uniform vec3 farOut;
uniform vec3 slightlyIn;
uniform vec3 farIn;
uniform float edgeAlpha;
uniform vec3 edgeColor;
out vec4 color;
void main() {
    if (edgeAlpha > 0.0) {
        color = vec4(edgeColor, edgeAlpha);
        return;
    }
    vec3 n = length(eyeNormal) > 0.0 ? normalize(eyeNormal) : vec3(0.0, 0.0, 1.0);
    vec3 toEye = normalize(-eyePlace);
    if (dot(n, toEye) < 0.0) n = -n;
    vec3 surface = showVertexColor ? ground * ownColor : ground;
    if (showDeviation) {
        float size = abs(distanceOff);
        if (size > tolerance) {
            // From the edge of the tolerance to four times it.
            float amount = clamp((size / max(tolerance, 1e-30) - 1.0) / 3.0, 0.0, 1.0);
            surface = distanceOff > 0.0 ? mix(slightlyOut, farOut, amount) : mix(slightlyIn, farIn, amount);
        }
    }
    vec3 key = normalize(vec3(-0.45, 0.65, 0.75));
    vec3 fill = normalize(vec3(0.7, -0.2, 0.4));
    float light = 0.30 + 0.68 * max(dot(n, key), 0.0) + 0.16 * max(dot(n, fill), 0.0) + 0.06 * n.y;
    float shine = gloss * pow(max(dot(n, normalize(key + toEye)), 0.0), 24.0);
    vec3 lit = surface * light + vec3(shine);
    color = vec4(mix(lit, paper, fade), 1.0);
}
)";

constexpr const char* backgroundVertexShader = R"(#version 330 core
out float height;
void main() {
    vec2 corner = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2);
    height = corner.y;
    gl_Position = vec4(corner * 2.0 - 1.0, 0.9999, 1.0);
}
)";

constexpr const char* backgroundFragmentShader = R"(#version 330 core
in float height;
uniform vec3 top;
uniform vec3 bottom;
out vec4 color;
void main() {
    color = vec4(mix(bottom, top, height), 1.0);
}
)";

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
    if (m_created) glDeleteBuffers(GLsizei(m_buffers.size()), m_buffers.data());
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
    if (!m_mesh->deviation.empty()) {
        add(GL_ARRAY_BUFFER, m_mesh->deviation.data(), m_mesh->deviation.size() * sizeof(float));
        attribute(DeviationValue, 1, GL_FLOAT, false, sizeof(float));
    }
    const auto triangles = m_mesh->triangles();
    add(GL_ELEMENT_ARRAY_BUFFER, triangles.data(), triangles.size_bytes());
    m_arrays.release();
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
    m_complete = m_waiting.empty();
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
    const bool backgroundFine =
        m_background.addShaderFromSourceCode(QOpenGLShader::Vertex, backgroundVertexShader) &&
        m_background.addShaderFromSourceCode(QOpenGLShader::Fragment, backgroundFragmentShader) && m_background.link();
    m_nothing.create();
    if (!surfaceFine || !backgroundFine)
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

void Renderer::draw(GpuMesh& mesh, const Eye& eye, const Look& look, const Theme& theme, std::size_t first,
                    std::size_t count, float edgeAlpha) {
    const DrawMesh& source = mesh.source();
    glEnable(GL_DEPTH_TEST);
    glDepthFunc(GL_LEQUAL);
    m_surface.bind();
    m_surface.setUniformValue("view", QMatrix4x4(eye.view.data()).transposed());
    m_surface.setUniformValue("projection", QMatrix4x4(eye.projection.data()).transposed());
    m_surface.setUniformValue("paper", vectorOf(theme.viewportBottom));
    m_surface.setUniformValue("showDeviation", look.deviation && !source.deviation.empty());
    m_surface.setUniformValue("showVertexColor", look.lit && !source.colors.empty());
    m_surface.setUniformValue("tolerance", look.tolerance);
    m_surface.setUniformValue("slightlyOut", vectorOf(theme.amber));
    m_surface.setUniformValue("farOut", vectorOf(theme.brick));
    m_surface.setUniformValue("slightlyIn", vectorOf(theme.slightBlue));
    m_surface.setUniformValue("farIn", vectorOf(theme.blue));
    m_surface.setUniformValue("edgeAlpha", edgeAlpha);
    m_surface.setUniformValue("edgeColor", theme.isNight ? QVector3D(0.05f, 0.07f, 0.08f) : vectorOf(theme.ink));
    if (edgeAlpha > 0) {
        glPolygonMode(GL_FRONT_AND_BACK, GL_LINE);
        glEnable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        glDepthMask(GL_FALSE);
    } else if (look.edges) {
        // Surfaces step back a little, so that their edges lie in front of them.
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1, 1);
    }
    mesh.bind();
    const std::size_t last = first + count;
    for (const Section& section : source.mesh->sections) {
        const std::size_t begin = std::max<std::size_t>(first, section.firstTriangle);
        const std::size_t end = std::min<std::size_t>(last, section.firstTriangle + section.triangleCount);
        if (begin >= end) continue;
        const Material& material = source.mesh->materials[section.material];
        m_surface.setUniformValue("ground", look.lit ? screenColor(material.baseColor) : vectorOf(theme.clay));
        m_surface.setUniformValue("gloss", look.lit ? 0.35f * (1 - material.roughness) : 0.03f);
        m_surface.setUniformValue("fade", look.part >= 0 && std::uint32_t(look.part) != section.part ? 0.72f : 0.0f);
        glDrawElements(GL_TRIANGLES, GLsizei(3 * (end - begin)), GL_UNSIGNED_INT,
                       reinterpret_cast<const void*>(begin * sizeof(Triangle)));
    }
    glBindVertexArray(0);
    glPolygonMode(GL_FRONT_AND_BACK, GL_FILL);
    glDisable(GL_BLEND);
    glDisable(GL_POLYGON_OFFSET_FILL);
    glDepthMask(GL_TRUE);
}

}  // namespace um::app
