#pragma once
// Model: the same instant in 3D (OpenGL 3.3 core).

#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <QOpenGLWidget>
#include <memory>
#include <optional>
#include <unordered_map>

#include <geometry/mesh.h>

#include "workspace.h"

namespace escarp::desktop {

/// An eye that goes round a point; angles in radians, distance and point in metres.
struct Camera {
    double turn = -1.15, tilt = 0.62, distance = 5.0;
    geometry::Vector3 at{0, 0, 0.5};
    geometry::Vector3 eye() const;
};

class ModelView;
/// Words over the picture: a widget of its own, so that text never meets the GL state.
class ModelWords : public QWidget {
public:
    ModelWords(Workspace& workspace, ModelView* over);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void draw_devices(QPainter& p) const;
    Workspace& workspace_;
    ModelView* view_;
};

class ModelView : public QOpenGLWidget, protected QOpenGLFunctions_3_3_Core {
    Q_OBJECT
public:
    explicit ModelView(Workspace& workspace, QWidget* parent = nullptr);
    ~ModelView() override;
    void fit();
    void fit_selection();
    cell::json view_state() const;  ///< as it can be stored
    void set_view_state(const cell::json& state);
    void look(double turn, double tilt);  ///< keeps the distance; top is tilt = pi/2
    QSize sizeHint() const override { return {340, 400}; }
    bool working() const { return ready_; }
    /// Where a point of the world is seen; nothing where it is behind the eye.
    std::optional<QPointF> pixel_of(const geometry::Vector3& world) const;

protected:
    void initializeGL() override;
    void paintGL() override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;

private:
    struct Shape {
        QOpenGLVertexArrayObject faces, lines;
        QOpenGLBuffer face_data{QOpenGLBuffer::VertexBuffer}, line_data{QOpenGLBuffer::VertexBuffer};
        int face_count = 0, line_count = 0;
    };
    struct Item {
        const geometry::Convex* shape;
        geometry::Frame at;
        QColor colour;
        int device;  ///< -1: a part
        bool selected, see_through = false;
        const Surfaces::Kept* surface = nullptr;  ///< drawn instead of the shape
        bool drawn = true;
    };
    void fit_to(const std::vector<int>& devices);
    std::vector<Item> items() const;
    Shape& shape(const geometry::Convex& convex);
    Shape& shape(const Surfaces::Kept& from);
    std::unique_ptr<Shape> load(const geometry::Mesh& mesh);
    void draw_floor(const QMatrix4x4& view);
    QMatrix4x4 projection() const;
    QMatrix4x4 sight() const;
    int device_at(const QPointF& pixel) const;
    void forget_shapes();

    Workspace& workspace_;
    ModelWords* words_;
    Camera camera_;
    bool ready_ = false, fitted_ = true;
    std::unique_ptr<QOpenGLShaderProgram> face_program_, line_program_;
    std::unordered_map<std::uint64_t, std::unique_ptr<Shape>> shapes_;
    Shape floor_;
    QPointF pressed_, last_;
    QTimer later_;
};

}  // namespace escarp::desktop
