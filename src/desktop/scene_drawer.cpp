#include "scene_drawer.h"

#include "step_back.h"

#include <QOffscreenSurface>
#include <QOpenGLBuffer>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVersionFunctionsFactory>
#include <QOpenGLVertexArrayObject>
#include <QPainter>
#include <QThread>

namespace escarp::desktop {
namespace {

const char* face_vertex = R"(#version 330 core
layout(location = 0) in vec3 place;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 colour;
uniform mat4 view, lens;
out vec3 facing; out vec3 seen; out vec4 tint;
void main() {
    vec4 eye = view * vec4(place, 1.0);
    facing = mat3(view) * normal;
    seen = eye.xyz;
    tint = colour;
    gl_Position = lens * eye;
})";
// Two tones and a dark rim: paper-like, and a round body still shows its outline.
const char* face_fragment = R"(#version 330 core
in vec3 facing; in vec3 seen; in vec4 tint;
uniform vec3 light;
out vec4 result;
void main() {
    vec3 n = normalize(facing);
    float lit = max(0.0, dot(n, light));
    float shade = 0.66 + 0.20 * smoothstep(0.05, 0.35, lit) + 0.16 * lit;
    float rim = smoothstep(0.0, 0.18, abs(dot(n, normalize(-seen))));
    result = vec4(mix(vec3(0.12, 0.16, 0.20), tint.rgb * shade, 0.45 + 0.55 * rim), tint.a);
})";
const char* line_vertex = R"(#version 330 core
layout(location = 0) in vec3 place;
layout(location = 2) in vec4 colour;
uniform mat4 view, lens;
out vec4 tint;
void main() {
    tint = colour;
    gl_Position = lens * view * vec4(place, 1.0);
    gl_Position.z -= 0.0006 * gl_Position.w;
})";
const char* line_fragment = R"(#version 330 core
in vec4 tint; out vec4 result;
void main() { result = tint; })";

// The grid goes into the paper with the distance from its middle.
const char* grid_vertex = R"(#version 330 core
layout(location = 0) in vec3 place;
layout(location = 2) in vec4 colour;
uniform mat4 view, lens;
uniform vec2 middle;
out vec4 tint; out vec2 away;
void main() {
    tint = colour;
    away = place.xy - middle;
    gl_Position = lens * view * vec4(place, 1.0);
})";
const char* grid_fragment = R"(#version 330 core
in vec4 tint; in vec2 away;
uniform vec3 paper;
uniform float reach;
out vec4 result;
void main() { result = vec4(mix(tint.rgb, paper, smoothstep(0.25, 1.0, length(away) / reach)), 1.0); })";
// A map of what stands over the floor, from straight above: the lower, the darker.
const char* cast_vertex = R"(#version 330 core
layout(location = 0) in vec3 place;
uniform vec2 middle;
uniform float reach;
out float high;
void main() {
    high = place.z;
    // Leaning a little, away from the light.
    gl_Position = vec4((place.xy - 0.12 * place.z * vec2(0.3, 0.95) - middle) / reach, 0.0, 1.0);
})";
const char* cast_fragment = R"(#version 330 core
in float high; out vec4 result;
void main() { result = vec4(clamp(1.0 - 0.4 * max(high, 0.0), 0.2, 1.0)); })";
// Blurred along one direction at a time.
const char* blur_vertex = R"(#version 330 core
out vec2 at;
void main() {
    at = vec2((gl_VertexID & 1) * 2, gl_VertexID & 2);
    gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0);
})";
const char* blur_fragment = R"(#version 330 core
in vec2 at;
uniform sampler2D map;
uniform vec2 step;
out vec4 result;
void main() {
    float sum = 0.0, weights = 0.0;
    for (int i = -4; i <= 4; ++i) {
        float w = exp(-0.12 * float(i * i));
        sum += w * texture(map, at + float(i) * step).r;
        weights += w;
    }
    result = vec4(sum / weights);
})";
const char* shadow_vertex = R"(#version 330 core
uniform mat4 view, lens;
uniform vec2 middle;
uniform float reach;
out vec2 at;
void main() {
    vec2 corner = vec2((gl_VertexID & 1) * 2 - 1, (gl_VertexID & 2) - 1);
    at = 0.5 * corner + 0.5;
    gl_Position = lens * view * vec4(middle + reach * corner, 0.0, 1.0);
})";
const char* shadow_fragment = R"(#version 330 core
in vec2 at;
uniform sampler2D map;
out vec4 result;
void main() { result = vec4(0.20, 0.17, 0.13, 0.6 * texture(map, at).r); })";
constexpr int shadow_pixels = 256;
constexpr int spare = 8;  // pixels that the target may be larger than what is drawn
const QVector3D paper(0.925f, 0.910f, 0.875f);

/// Corners or line ends of all items of one sort in one buffer; only what changed since the last scene is worked out
/// and handed over again.
class Batch {
public:
    enum class Sort { solid, clear, lines };
    explicit Batch(Sort sort) : sort_(sort), stride_(sort == Sort::lines ? 7 : 10) {}

    void create(QOpenGLFunctions_3_3_Core& gl) {
        array_.create();
        array_.bind();
        data_.create();
        data_.bind();
        const auto attribute = [&](unsigned place, int size, int from) {
            gl.glEnableVertexAttribArray(place);
            gl.glVertexAttribPointer(place, size, GL_FLOAT, GL_FALSE, stride_ * static_cast<int>(sizeof(float)),
                reinterpret_cast<const void*>(static_cast<std::size_t>(from) * sizeof(float)));
        };
        attribute(0, 3, 0);
        if (sort_ != Sort::lines) attribute(1, 3, 3);
        attribute(2, 4, stride_ - 4);
        array_.release();
    }
    void destroy() { array_.destroy(), data_.destroy(); }

    /// Only what has changed is written anew; what is drawn lies nowhere but in the buffer.
    void follow(const std::vector<Scene::Item>& items) {
        constexpr std::size_t little = 1u << 18;  // floats: no buffer is made smaller for less
        std::size_t size = 0;
        for (const Scene::Item& item : items) size += length_of(item);
        data_.bind();
        if (size > held_ || (held_ > little && size < held_ / 3)) {
            held_ = size + size / 8;
            data_.allocate(static_cast<int>(held_ * sizeof(float)));
            kept_.clear();
        }
        std::size_t at = 0, n = 0, written_from = 0;
        std::vector<float>& fresh = scratch_;
        const auto write_down = [&] {
            if (!fresh.empty())
                data_.write(static_cast<int>(written_from * sizeof(float)), fresh.data(),
                    static_cast<int>(fresh.size() * sizeof(float)));
            fresh.clear();
        };
        for (const Scene::Item& item : items) {
            const std::size_t length = length_of(item);
            if (length == 0) continue;
            if (n >= kept_.size() || at != kept_[n].from || !(kept_[n].item == item)) {
                if (fresh.size() > little || written_from + fresh.size() != at) write_down();
                if (fresh.empty()) written_from = at;
                fresh.resize(fresh.size() + length);
                write(item, sort_ == Sort::lines ? item.mesh->lines : item.mesh->faces,
                    fresh.data() + fresh.size() - length);
                if (n < kept_.size()) kept_[n] = {item, at};
                else kept_.push_back({item, at});
            }
            at += length;
            ++n;
        }
        write_down();
        if (fresh.capacity() > 4 * little) fresh.shrink_to_fit();
        kept_.resize(n);
        count_ = size / static_cast<std::size_t>(stride_);
        data_.release();
    }

    void draw(QOpenGLFunctions_3_3_Core& gl) {
        array_.bind();
        gl.glDrawArrays(sort_ == Sort::lines ? GL_LINES : GL_TRIANGLES, 0, static_cast<int>(count_));
        array_.release();
    }

private:
    /// Floats that an item takes; 0: it is not of this sort.
    std::size_t length_of(const Scene::Item& item) const {
        if (sort_ == Sort::lines) return item.mesh->lines.size() / 3 * static_cast<std::size_t>(stride_);
        if ((item.face.w() < 1) != (sort_ == Sort::clear)) return 0;
        return item.mesh->faces.size() / 6 * static_cast<std::size_t>(stride_);
    }
    void write(const Scene::Item& item, const std::vector<float>& source, float* out) const {
        const float* m = item.at.constData();  // column by column
        const QVector4D& colour = sort_ == Sort::lines ? item.line : item.face;
        const std::size_t step = sort_ == Sort::lines ? 3 : 6;
        for (std::size_t i = 0; i + step <= source.size(); i += step) {
            const float *p = source.data() + i, *n = p + 3;
            for (int r = 0; r < 3; ++r) *out++ = m[r] * p[0] + m[4 + r] * p[1] + m[8 + r] * p[2] + m[12 + r];
            if (sort_ != Sort::lines)
                for (int r = 0; r < 3; ++r) *out++ = m[r] * n[0] + m[4 + r] * n[1] + m[8 + r] * n[2];
            for (int k = 0; k < 4; ++k) *out++ = colour[k];
        }
    }

    struct Kept {
        Scene::Item item;
        std::size_t from;
    };
    const Sort sort_;
    const int stride_;
    std::vector<Kept> kept_;
    std::vector<float> scratch_;  ///< on its way into the buffer
    std::size_t held_ = 0;        ///< numbers that the buffer has room for
    std::size_t count_ = 0;       ///< corners that are drawn
    QOpenGLVertexArrayObject array_;
    QOpenGLBuffer data_{QOpenGLBuffer::VertexBuffer};
};

}  // namespace

/// All that lives in the context.
class SceneDrawer::Painter {
public:
    bool begin(QOpenGLContext& context) {
        gl_ = QOpenGLVersionFunctionsFactory::get<QOpenGLFunctions_3_3_Core>(&context);
        if (!gl_) return false;
        const auto program = [](QOpenGLShaderProgram& p, const char* vertex, const char* fragment) {
            return p.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
                   p.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) && p.link();
        };
        if (!program(faces_, face_vertex, face_fragment) || !program(edges_, line_vertex, line_fragment) ||
            !program(grid_lines_, grid_vertex, grid_fragment) || !program(cast_, cast_vertex, cast_fragment) ||
            !program(blur_, blur_vertex, blur_fragment) || !program(shadow_, shadow_vertex, shadow_fragment))
            return false;
        nothing_.create();  // what needs no corners still needs one of these
        for (auto* map : {&map_, &blurred_}) {
            *map = std::make_unique<QOpenGLFramebufferObject>(
                QSize(shadow_pixels, shadow_pixels), QOpenGLFramebufferObject::NoAttachment);
            gl_->glBindTexture(GL_TEXTURE_2D, (*map)->texture());
            gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR);
            gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
            gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
            gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
        }
        for (Batch* b : {&solid_, &clear_, &lines_, &floor_}) b->create(*gl_);
        auto grid = std::make_shared<SceneMesh>();
        for (int i = -40; i <= 40; ++i)
            for (const float v :
                {i * 0.25f, -10.f, 0.f, i * 0.25f, 10.f, 0.f, -10.f, i * 0.25f, 0.f, 10.f, i * 0.25f, 0.f})
                grid->lines.push_back(v);
        grid_ = std::move(grid);
        return true;
    }
    void end() {
        for (Batch* b : {&solid_, &clear_, &lines_, &floor_}) b->destroy();
        nothing_.destroy();
        target_.reset(), map_.reset(), blurred_.reset();
    }

    QImage draw(const Scene& scene) {
        solid_.follow(scene.items), clear_.follow(scene.items), lines_.follow(scene.items);
        QMatrix4x4 middle;
        middle.translate(scene.floor_x, scene.floor_y, 0);
        floor_.follow({{grid_, middle, {}, QVector4D(0.80f, 0.77f, 0.70f, 1.0f)}});
        cast_shadow(scene);
        // Drawn larger it is drawn part by part, so that it needs no more room.
        const int parts = scene.fine;
        const QSize shown((scene.size.width() + parts - 1) / parts, (scene.size.height() + parts - 1) / parts);
        const QSize drawn = shown * parts;
        if (!target_ || target_->width() < drawn.width() || target_->height() < drawn.height() ||
            target_->width() > drawn.width() + spare || target_->height() > drawn.height() + spare)
            target_ = std::make_unique<QOpenGLFramebufferObject>(drawn, QOpenGLFramebufferObject::CombinedDepthStencil);
        if (parts == 1) return paint(scene, drawn, scene.lens);
        QImage picture(scene.size, QImage::Format_RGB32);
        QPainter painter(&picture);
        for (int row = 0; row < parts; ++row)
            for (int column = 0; column < parts; ++column) {
                const float wide = static_cast<float>(scene.size.width()) / static_cast<float>(shown.width());
                const float high = static_cast<float>(scene.size.height()) / static_cast<float>(shown.height());
                QMatrix4x4 part;
                part(0, 0) = wide, part(0, 3) = wide - 1 - 2 * static_cast<float>(column);
                part(1, 1) = high, part(1, 3) = 1 + 2 * static_cast<float>(row) - high;
                const QImage larger = paint(scene, drawn, part * scene.lens);
                painter.drawImage(column * shown.width(), row * shown.height(),
                    larger.scaled(shown, Qt::IgnoreAspectRatio, Qt::SmoothTransformation));
            }
        return picture;
    }

private:
    /// What the lens sees, in the lowest and leftmost pixels of the target.
    QImage paint(const Scene& scene, const QSize& size, const QMatrix4x4& lens) {
        const auto use = [&](QOpenGLShaderProgram& p) {
            p.bind();
            p.setUniformValue("view", scene.view);
            p.setUniformValue("lens", lens);
        };
        target_->bind();
        gl_->glViewport(0, 0, size.width(), size.height());
        gl_->glClearColor(paper.x(), paper.y(), paper.z(), 1.0f);
        gl_->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
        gl_->glEnable(GL_DEPTH_TEST);
        use(grid_lines_);
        on_floor(grid_lines_, scene);
        grid_lines_.setUniformValue("paper", paper);
        floor_.draw(*gl_);
        use(shadow_);
        draw_shadow(scene);
        use(faces_);
        faces_.setUniformValue("light", QVector3D(0.25f, 0.75f, 0.61f).normalized());
        solid_.draw(*gl_);
        use(edges_);
        lines_.draw(*gl_);
        use(faces_);
        gl_->glEnable(GL_BLEND);
        gl_->glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE);
        gl_->glDepthMask(GL_FALSE);
        clear_.draw(*gl_);
        gl_->glDepthMask(GL_TRUE);
        gl_->glDisable(GL_BLEND);
        faces_.release();
        target_->release();
        const QImage all = target_->toImage().convertToFormat(QImage::Format_RGB32);
        return all.size() == size ? all : all.copy(QRect(QPoint(0, all.height() - size.height()), size));
    }
    /// Seen from above: how much of the floor lies in the shade, soft at the borders.
    void cast_shadow(const Scene& scene) {
        gl_->glDisable(GL_DEPTH_TEST);
        gl_->glViewport(0, 0, shadow_pixels, shadow_pixels);
        map_->bind();
        gl_->glClearColor(0, 0, 0, 0);
        gl_->glClear(GL_COLOR_BUFFER_BIT);
        gl_->glEnable(GL_BLEND);
        gl_->glBlendEquation(GL_MAX);
        cast_.bind();
        on_floor(cast_, scene);
        solid_.draw(*gl_);
        gl_->glBlendEquation(GL_FUNC_ADD);
        gl_->glDisable(GL_BLEND);
        blur_.bind();
        nothing_.bind();
        const auto along = [&](QOpenGLFramebufferObject& from, QOpenGLFramebufferObject& to, float x, float y) {
            to.bind();
            gl_->glBindTexture(GL_TEXTURE_2D, from.texture());
            blur_.setUniformValue("map", 0);
            blur_.setUniformValue("step", QVector2D(x, y) / static_cast<float>(shadow_pixels));
            gl_->glDrawArrays(GL_TRIANGLES, 0, 3);
        };
        along(*map_, *blurred_, 1, 0);
        along(*blurred_, *map_, 0, 1);
        nothing_.release();
        map_->release();
    }
    void draw_shadow(const Scene& scene) {
        on_floor(shadow_, scene);
        shadow_.setUniformValue("map", 0);
        gl_->glBindTexture(GL_TEXTURE_2D, map_->texture());
        gl_->glEnable(GL_BLEND);
        gl_->glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE);
        gl_->glDepthMask(GL_FALSE);
        nothing_.bind();
        gl_->glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
        nothing_.release();
        gl_->glDepthMask(GL_TRUE);
        gl_->glDisable(GL_BLEND);
    }
    static void on_floor(QOpenGLShaderProgram& p, const Scene& scene) {
        p.setUniformValue("middle", QVector2D(scene.floor_x, scene.floor_y));
        p.setUniformValue("reach", scene.floor_reach);
    }

    QOpenGLFunctions_3_3_Core* gl_ = nullptr;
    QOpenGLShaderProgram faces_, edges_, grid_lines_, cast_, blur_, shadow_;
    QOpenGLVertexArrayObject nothing_;
    std::unique_ptr<QOpenGLFramebufferObject> map_, blurred_;
    Batch solid_{Batch::Sort::solid}, clear_{Batch::Sort::clear}, lines_{Batch::Sort::lines},
        floor_{Batch::Sort::lines};
    std::shared_ptr<const SceneMesh> grid_;
    std::unique_ptr<QOpenGLFramebufferObject> target_;
};

SceneDrawer::SceneDrawer(QObject* parent) : QObject(parent), surface_(std::make_unique<QOffscreenSurface>()) {
    surface_->create();  // a surface belongs to the thread of the window, a context to the one that draws
    if (!surface_->isValid()) return;
    if (!QOpenGLContext::supportsThreadedOpenGL()) {
        working_ = begin();
        return;
    }
    thread_ = std::thread([this] { work(); });
    std::unique_lock hold(lock_);
    idle_.wait(hold, [this] { return begun_; });
}

bool SceneDrawer::begin() {
    context_ = std::make_unique<QOpenGLContext>();
    if (!context_->create() || context_->format().version() < qMakePair(3, 3) || !context_->makeCurrent(surface_.get()))
        return false;
    painter_ = std::make_unique<Painter>();
    return painter_->begin(*context_);
}

SceneDrawer::~SceneDrawer() {
    if (thread_.joinable()) {
        {
            const std::lock_guard guard(lock_);
            quit_ = true;
        }
        wake_.notify_all();
        thread_.join();
    } else if (working_ && context_->makeCurrent(surface_.get())) {
        painter_->end();
    }
}

void SceneDrawer::draw(Scene scene) {
    if (!working_ || scene.size.isEmpty()) return;
    if (!thread_.joinable()) {
        if (context_->makeCurrent(surface_.get())) last_ = painter_->draw(scene);
        Q_EMIT drawn(last_, scene.number);
        return;
    }
    {
        const std::lock_guard guard(lock_);
        next_ = std::move(scene);
    }
    wake_.notify_all();
}

QImage SceneDrawer::wait() {
    std::unique_lock hold(lock_);
    idle_.wait(hold, [this] { return !working_ || !thread_.joinable() || quit_ || (!next_ && !busy_); });
    return last_;
}

void SceneDrawer::work() {
    step_back();  // before the context is made: what draws in software starts threads of its own, which take after this
                  // one
    {
        const bool fits = begin();
        const std::lock_guard guard(lock_);
        working_ = fits, begun_ = true;
    }
    idle_.notify_all();
    while (working_) {
        std::optional<Scene> scene;
        {
            std::unique_lock hold(lock_);
            busy_ = false;
            idle_.notify_all();
            wake_.wait(hold, [this] { return quit_ || next_; });
            if (quit_) break;
            scene.swap(next_);
            busy_ = true;
        }
        QImage picture;
        try {
            picture = painter_->draw(*scene);
        } catch (const std::bad_alloc&) {  // the one before stays
            const std::lock_guard guard(lock_);
            picture = last_;
        }
        {
            const std::lock_guard guard(lock_);
            last_ = picture;
        }
        Q_EMIT drawn(picture, scene->number);
    }
    if (working_) painter_->end();
    painter_.reset();
    context_->doneCurrent();
    context_.reset();
}

}  // namespace escarp::desktop
