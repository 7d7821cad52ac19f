#pragma once
/// Places of the surface that are gone to, pointed out and measured in the viewport.
#include "app/jobs/Job.h"
#include "measure/Deviation.h"

#include <QPointF>

namespace um::app {

class ViewArea;

class Places : public QObject {
    Q_OBJECT

public:
    explicit Places(ViewArea& view, QObject* parent = nullptr);

    /// Nothing is pointed out any more.
    void forget();
    /// To a place of a mesh, ringed and seen face to face.
    void goTo(std::shared_ptr<const Mesh> mesh, const Vec3d& place);
    /// To where level and source are farthest apart, and from there to the next such place, or with -1 to the last.
    void goToWorst(const Deviation& evidence, const Mesh& level, int step);

    /// What is clicked, and what it is measured against.
    struct Clicked {
        std::shared_ptr<const Mesh> mesh, against;
        bool isSource = false;   ///< the mesh is the source, and `against` its level
        bool isOnOther = false;  ///< it is the one that what is shown is compared with
    };
    /// Measures the place under a place of the viewport, if there is one.
    void probe(const QPointF& place, const Clicked& clicked, double toleranceMetres);

    Job& job() { return m_looking; }

private:
    void faceAlong(const Vec3d& normal);

    ViewArea& m_view;
    int m_farPlace = -1;  // of the evidence's far places
    Job m_looking;
};

}  // namespace um::app
