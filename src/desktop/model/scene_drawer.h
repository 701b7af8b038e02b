#pragma once
// Draws scenes of bodies off screen (OpenGL 3.3 core), on a thread of its own where the display allows it, and hands
// back pictures: a window without a GL widget in it is composed by the processor alone, and no hand waits for a
// picture. Newer scenes overtake older ones.

#include <QImage>
#include <QMatrix4x4>
#include <QObject>
#include <QVector4D>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <vector>

class QOffscreenSurface;
class QOpenGLContext;

namespace escarp::desktop {

/// A body's triangles and sharp edges, in its own axes.
struct SceneMesh {
    std::vector<float> corners;            ///< six numbers each: place, normal
    std::vector<std::uint32_t> triangles;  ///< three of the corners each
    bool closed = false;  ///< no triangle is ever seen from behind: they go round counter-clockwise seen from outside
    std::vector<float> ends;               ///< of lines, three numbers each
    std::vector<std::uint32_t> lines;      ///< two of the ends each
    float bound = 0;                       ///< from the origin to the farthest of its corners and ends, m
};

/// What is seen from where. Owns or shares all that it needs.
struct Scene {
    struct Item {
        std::shared_ptr<const SceneMesh> mesh;
        QMatrix4x4 at;
        QVector4D face, line;  ///< colours; a face of less than full opacity is drawn after the others, a line of
                               ///< no opacity not at all
    };
    std::vector<Item> items;
    QMatrix4x4 view, lens;
    float floor_x = 0, floor_y = 0;  ///< middle of the grid
    float floor_reach = 10;          ///< m from there to where the floor fades away
    QSize size;                      ///< pixels
    int fine = 1;                    ///< drawn so many times larger each way, and scaled down smoothly
    std::uint64_t number = 0;        ///< the asker's
};

class SceneDrawer : public QObject {
    Q_OBJECT
public:
    explicit SceneDrawer(QObject* parent = nullptr);
    ~SceneDrawer() override;
    /// False on a display without OpenGL 3.3.
    bool working() const { return working_; }
    /// Draws a scene soon; one that still waits is dropped. The picture comes by `drawn`.
    void draw(Scene scene);
    /// Waits until the newest scene asked for is drawn; its picture.
    QImage wait();

Q_SIGNALS:
    void drawn(const QImage& picture, quint64 number);

private:
    class Painter;
    bool begin();
    void work();
    std::unique_ptr<QOffscreenSurface> surface_;
    std::unique_ptr<QOpenGLContext> context_;
    std::unique_ptr<Painter> painter_;
    bool working_ = false;
    std::mutex lock_;
    std::condition_variable wake_, idle_;
    std::optional<Scene> next_;
    QImage last_;
    bool begun_ = false, busy_ = false, quit_ = false;
    std::thread thread_;
};

}  // namespace escarp::desktop
