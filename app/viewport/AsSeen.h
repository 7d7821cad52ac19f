#pragma once
/// The asset as it stands on the player's screen: the viewer's direction, the true distance, one pixel of the picture
/// to one of that screen.
#include "app/viewport/Camera.h"
#include "app/viewport/Renderer.h"
#include "chain/Target.h"

#include <QImage>
#include <QOpenGLFramebufferObject>

namespace um::app {

/// The finished picture may be as large as a widget; anti-aliasing in it makes up for a stand-in's roughness.
std::unique_ptr<QOpenGLFramebufferObject> makeCanvas(const QSize& size, int sampleCount);

constexpr int samplesOfPictures = 4;

struct AsSeen {
    Screen screen;
    double distance = 0;  ///< in the mesh's unit; 0 where nothing is to be seen
    QSize size;           ///< of the picture, in pixels

    bool isPossible() const { return distance > 0 && !size.isEmpty(); }
    bool operator==(const AsSeen&) const = default;
};

class AsSeenPainter {
public:
    /// Draws `count` triangles from `first` on into the picture; the first ones begin it anew. `box` is what the
    /// picture is centred on.
    void draw(Renderer& renderer, GpuMesh& mesh, const AsSeen& seen, const Camera& camera, const Box3f& box, Look look,
              std::size_t first, std::size_t count);
    QImage picture() const { return m_canvas->toImage(); }
    void release() { m_canvas.reset(); }

private:
    std::unique_ptr<QOpenGLFramebufferObject> m_canvas;
};

}  // namespace um::app
