#pragma once
/// Draws meshes with OpenGL 3.3 core. All functions need the context current.
#include "app/theme/Theme.h"
#include "app/viewport/DrawMesh.h"

#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>

namespace um::app {

/// How the surface is shown. The chips combine freely: `deviation` colours whichever ground is chosen.
struct Look {
    bool lit = false;  ///< material colours, else clay
    bool deviation = false;
    bool edges = false;
    int part = -1;        ///< the part that stands out, or -1 for all alike
    float tolerance = 0;  ///< in the mesh's unit
    bool operator==(const Look&) const = default;
};

/// A mesh on the graphics card, brought there in slices so that the window never waits.
class GpuMesh : protected QOpenGLFunctions_3_3_Core {
public:
    explicit GpuMesh(std::shared_ptr<const DrawMesh> mesh);
    ~GpuMesh();

    /// Uploads for about `milliseconds`. @returns whether everything is there
    bool upload(int milliseconds);
    bool isComplete() const { return m_complete; }
    const DrawMesh& source() const { return *m_mesh; }
    std::size_t triangleCount() const { return m_mesh->triangles().size(); }

    void bind() { m_arrays.bind(); }

private:
    struct Slice {
        GLenum target;
        GLuint buffer;
        const void* data;
        std::size_t size;
    };
    void create();

    std::shared_ptr<const DrawMesh> m_mesh;
    QOpenGLVertexArrayObject m_arrays;
    std::vector<GLuint> m_buffers;
    std::vector<Slice> m_waiting;
    std::size_t m_offset = 0;  // into the first waiting slice
    bool m_created = false;
    bool m_complete = false;
};

/// The eye: where it is and what it takes in.
struct Eye {
    Mat4f view = Mat4f::Identity();
    Mat4f projection = Mat4f::Identity();
};

class Renderer : protected QOpenGLFunctions_3_3_Core {
public:
    /// @returns an empty text, or a sentence on why nothing can be drawn here
    QString initialise();

    void drawBackground(const Theme& theme);
    /// Draws `count` triangles from `first` on. @param edgeAlpha  0 draws surfaces, above 0 the triangles' edges that
    /// dark
    void draw(GpuMesh& mesh, const Eye& eye, const Look& look, const Theme& theme, std::size_t first, std::size_t count,
              float edgeAlpha);
    void finish() { glFinish(); }

private:
    QOpenGLShaderProgram m_surface;
    QOpenGLShaderProgram m_background;
    QOpenGLVertexArrayObject m_nothing;
};

}  // namespace um::app
