#pragma once
/// Draws meshes with OpenGL 3.3 core. All functions need the context current.
#include "app/theme/Theme.h"
#include "app/viewport/DrawMesh.h"

#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <QRect>
#include <QVector3D>

namespace um::app {

/// What colours the surface where it needs a person's eye.
enum class Tint {
    None,
    Deviation,  ///< a level where it is off its source by more than the tolerance
    PixelLoad,  ///< triangles that would be smaller than four pixels where the player stands
    Texels      ///< texels for each pixel there
};

/// From where the light comes, as the viewer sees it.
struct Light {
    double yaw = -0.54, pitch = 0.64;  ///< radians: to the right, and upwards
    bool operator==(const Light&) const = default;
    QVector3D direction() const;
};

/// What the lit view may leave out of a material, to be added up.
enum LookPart : unsigned { LookColor = 1, LookNormal = 2, LookSurface = 4, LookOcclusion = 8, LookEmission = 16 };

/// Where a bake found nothing, to be painted on the mesh that it was made for.
struct MissPictures {
    std::shared_ptr<const Mesh> mesh;
    std::vector<QImage> sheets;        ///< grey: white where it found nothing
    std::vector<std::size_t> sheetOf;  ///< of each material
};

/// How the surface is shown. The chips combine freely: a tint colours whichever ground is chosen.
struct Look {
    bool lit = false;  ///< material colours, else clay
    Tint tint = Tint::None;
    bool edges = false;                          ///< of what is shown
    bool otherEdges = false;                     ///< of what it is compared with
    int part = -1;                               ///< the part that stands out, or -1 for all alike
    float tolerance = 0;                         ///< in the mesh's unit
    float pixelsPerUnit = 0;                     ///< where the player stands
    unsigned without = 0;                        ///< what lit leaves out of materials (LookPart)
    bool checker = false;                        ///< squares of the UVs in the place of all colours
    std::shared_ptr<const MissPictures> misses;  ///< null for none
    Light light;
    bool operator==(const Look&) const = default;
};

/// A mesh on the graphics card, brought there in slices so that the window never waits.
class GpuMesh : protected QOpenGLFunctions_3_3_Core {
public:
    using Values = std::shared_ptr<const std::vector<float>>;

    explicit GpuMesh(std::shared_ptr<const DrawMesh> mesh);
    ~GpuMesh();

    /// Other values to colour by, one for each drawn vertex; null for none.
    void setValues(const Values& values);
    bool hasValues() const { return m_values != nullptr; }

    /// Uploads for about `milliseconds`. @returns whether everything is there
    bool upload(int milliseconds);
    bool isComplete() const { return m_complete; }
    const DrawMesh& source() const { return *m_mesh; }
    std::size_t triangleCount() const { return m_mesh->triangles().size(); }

    void bind() { m_arrays.bind(); }
    /// Binds a picture to a unit. @returns whether there is one
    bool bindTexture(const TextureUse& use, int unit);

private:
    struct Slice {
        GLenum target;
        GLuint buffer;
        const void* data;
        std::size_t size;
    };
    /// A level of a texture that is brought over in bands of rows.
    struct Band {
        GLuint texture;
        int level;
        const QImage* image;
        int nextRow;
    };
    void create();
    void createTextures();
    void addValues();
    bool uploadBand();

    std::shared_ptr<const DrawMesh> m_mesh;
    Values m_values;
    GLuint m_valueBuffer = 0;
    QOpenGLVertexArrayObject m_arrays;
    std::vector<GLuint> m_buffers;
    std::vector<Slice> m_waiting;
    std::vector<GLuint> m_textures;  // as the mesh has them, or 0
    std::vector<Band> m_waitingBands;
    std::size_t m_offset = 0;  // into the first waiting slice
    bool m_created = false;
    bool m_complete = false;
};

/// What a mesh is drawn with: as a surface, or by its edges or as a veil, that dense.
struct Ink {
    enum class As : std::uint8_t { Surface, Edges, Veil };
    As as = As::Surface;
    float alpha = 0;
    bool accent = false;  ///< in the accent's colour, as a cage is
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

    /// Where in the picture to draw from now on, in its pixels from the lower left; the whole of it becomes the eye's
    /// view.
    void setPlace(const QRect& place) { glViewport(place.x(), place.y(), place.width(), place.height()); }
    void drawBackground(const Theme& theme);
    /// Draws `count` triangles from `first` on.
    /// @param likenessOf  the number of triangles of the mesh that this one stands in for
    void draw(GpuMesh& mesh, const Eye& eye, const Look& look, const Theme& theme, std::size_t first, std::size_t count,
              const Ink& ink, std::size_t likenessOf);
    void finish() { glFinish(); }
    /// Gives back what it has on the graphics card for itself.
    void release();

private:
    /// Triangles that are drawn with one material, in as few pieces as they lie in.
    struct Run {
        const Material* material = nullptr;
        bool isFaded = false;
        std::vector<GLsizei> counts;
        std::vector<const void*> places;
        std::size_t end = 0;  // the triangle behind the last piece

        void add(std::size_t triangle, std::size_t count);
    };

    void drawRun(QOpenGLShaderProgram& program, GpuMesh& mesh, const Run& run, const Look& look, const Theme& theme,
                 bool isSurface);
    void setMaterial(QOpenGLShaderProgram& program, GpuMesh& mesh, const Material& material, const Look& look,
                     const Theme& theme);
    bool bindMisses(const std::shared_ptr<const MissPictures>& misses, std::uint32_t material);

    std::shared_ptr<const MissPictures> m_missesThere;  // on the graphics card
    std::vector<GLuint> m_missTextures;
    QOpenGLShaderProgram m_surface;
    QOpenGLShaderProgram m_sized;  // the same, which knows how large each triangle is
    QOpenGLShaderProgram m_background;
    QOpenGLVertexArrayObject m_nothing;
};

}  // namespace um::app
