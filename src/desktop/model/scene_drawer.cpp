#include "scene_drawer.h"

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
#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <numeric>

#include <desktop/session/step_back.h>

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
    const float weight[5] = float[](0.2006, 0.1780, 0.1242, 0.0681, 0.0294);  // e^(-0.12 i^2), together 1
    float sum = weight[0] * texture(map, at).r;
    for (int i = 1; i <= 4; ++i)
        sum += weight[i] * (texture(map, at + float(i) * step).r + texture(map, at - float(i) * step).r);
    result = vec4(sum);
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

/// Words of many pieces one after the other in one buffer: pieces are kept or written anew, in their order.
class PieceBuffer {
    using T = std::uint32_t;

public:
    explicit PieceBuffer(QOpenGLBuffer::Type type) : data_(type) {}
    void create() { data_.create(), data_.bind(); }
    void destroy() { data_.destroy(); }
    void bind() { data_.bind(); }

    /// Bound, with room for `size` words from now on. False: nothing of what was in it is left.
    bool begin(std::size_t size) {
        at_ = from_ = 0;
        fresh_.clear();
        data_.bind();
        if (size <= held_ && (held_ <= little || size >= held_ / 3)) return true;
        held_ = size + size / 8;
        data_.allocate(static_cast<int>(held_ * sizeof(T)));
        return false;
    }
    std::size_t at() const { return at_; }
    void keep(std::size_t length) { at_ += length; }
    /// Room for the piece that comes next; until the next call.
    T* write(std::size_t length) {
        if (fresh_.size() > little || from_ + fresh_.size() != at_) hand_over();
        if (fresh_.empty()) from_ = at_;
        fresh_.resize(fresh_.size() + length);
        at_ += length;
        return fresh_.data() + fresh_.size() - length;
    }
    void end() {
        hand_over();
        if (fresh_.capacity() > 4 * little) fresh_.shrink_to_fit();
    }

private:
    static constexpr std::size_t little = 1u << 18;  // words: no buffer is made smaller for less
    void hand_over() {
        if (!fresh_.empty())
            data_.write(
                static_cast<int>(from_ * sizeof(T)), fresh_.data(), static_cast<int>(fresh_.size() * sizeof(T)));
        fresh_.clear();
    }
    std::vector<T> fresh_;           ///< on its way into the buffer
    std::size_t held_ = 0;           ///< words that the buffer has room for
    std::size_t at_ = 0, from_ = 0;  ///< where the next piece goes, and where `fresh_` does
    QOpenGLBuffer data_;
};

/// A direction in one word: ten bits for each of x, y, z (GL_INT_2_10_10_10_REV).
std::uint32_t packed_direction(const std::array<float, 3>& d) {
    std::uint32_t word = 0;
    for (unsigned r = 0; r < 3; ++r)
        word |= (static_cast<std::uint32_t>(std::lround(std::clamp(d[r], -1.f, 1.f) * 511)) & 0x3ffu) << (10 * r);
    return word;
}
/// A colour in four bytes, red first.
std::uint32_t packed_colour(const QVector4D& c) {
    const auto byte = [](float v) { return static_cast<std::uint8_t>(std::lround(std::clamp(v, 0.f, 1.f) * 255)); };
    return std::bit_cast<std::uint32_t>(std::array{byte(c.x()), byte(c.y()), byte(c.z()), byte(c.w())});
}

/// Corners or line ends of all items of one sort in one buffer (place, direction across the face, colour: 20 bytes; of
/// a line without the direction), and in another which of them make a triangle or a line; only what changed since the last scene is worked out and handed over again.
class Batch {
public:
    enum class Sort { closed, open, clear, lines };
    explicit Batch(Sort sort) : sort_(sort), stride_(sort == Sort::lines ? 4 : 5) {}

    void create(QOpenGLFunctions_3_3_Core& gl) {
        array_.create();
        array_.bind();
        points_.create();
        const auto attribute = [&](unsigned place, int size, GLenum type, int from) {
            gl.glEnableVertexAttribArray(place);
            gl.glVertexAttribPointer(place, size, type, type != GL_FLOAT, stride_ * 4,
                reinterpret_cast<const void*>(static_cast<std::size_t>(from) * 4));
        };
        attribute(0, 3, GL_FLOAT, 0);
        if (sort_ != Sort::lines) attribute(1, 4, GL_INT_2_10_10_10_REV, 3);
        attribute(2, 4, GL_UNSIGNED_BYTE, stride_ - 1);
        order_.create();
        array_.release();
    }
    void destroy() { array_.destroy(), points_.destroy(), order_.destroy(); }

    /// Only what has changed is written anew; what is drawn lies nowhere but in the buffers. True: something has.
    bool follow(const std::vector<Scene::Item>& items) {
        std::size_t words = 0, count = 0, n = 0;
        for (const Scene::Item& item : items)
            if (belongs(item)) words += length_of(*item.mesh), count += order_of(*item.mesh).size();
        array_.bind();  // the buffer of the order belongs to it
        const bool both = points_.begin(words) & order_.begin(count);
        bool changed = kept_.empty() != (count == 0);
        if (!both) kept_.clear(), changed = true;
        for (const Scene::Item& item : items) {
            if (!belongs(item)) continue;
            const std::size_t length = length_of(*item.mesh), order_length = order_of(*item.mesh).size();
            const bool known = n < kept_.size(), there = known && kept_[n].from == points_.at(),
                       in_order = there && kept_[n].order_from == order_.at() && kept_[n].item.mesh == item.mesh;
            const Kept now{item, points_.at(), order_.at()};
            if (in_order) order_.keep(order_length);
            else write_order(*item.mesh, points_.at() / static_cast<std::size_t>(stride_), order_.write(order_length));
            if (there && looks_same(kept_[n].item, item)) points_.keep(length);
            else write_points(item, points_.write(length)), changed = true;
            if (known) kept_[n] = now;
            else kept_.push_back(now);
            ++n;
        }
        if (n != kept_.size()) changed = true;
        points_.end(), order_.end();
        kept_.resize(n);
        count_ = count;
        array_.release();
        return changed;
    }

    void draw(QOpenGLFunctions_3_3_Core& gl) {
        array_.bind();
        gl.glDrawElements(
            sort_ == Sort::lines ? GL_LINES : GL_TRIANGLES, static_cast<int>(count_), GL_UNSIGNED_INT, nullptr);
        array_.release();
    }

private:
    struct Kept {
        Scene::Item item;
        std::size_t from, order_from;
    };
    bool belongs(const Scene::Item& item) const {
        if (order_of(*item.mesh).empty()) return false;
        if (sort_ == Sort::lines) return item.line.w() > 0;
        return sort_ == (item.face.w() < 1 ? Sort::clear : item.mesh->closed ? Sort::closed : Sort::open);
    }
    /// As far as this sort goes: faces have nothing to do with the colour of lines.
    bool looks_same(const Scene::Item& a, const Scene::Item& b) const {
        return a.mesh == b.mesh && a.at == b.at && (sort_ == Sort::lines ? a.line == b.line : a.face == b.face);
    }
    const std::vector<std::uint32_t>& order_of(const SceneMesh& m) const {
        return sort_ == Sort::lines ? m.lines : m.triangles;
    }
    /// Words that its corners or ends take.
    std::size_t length_of(const SceneMesh& m) const {
        return (sort_ == Sort::lines ? m.ends.size() / 3 : m.corners.size() / 6) * static_cast<std::size_t>(stride_);
    }
    void write_order(const SceneMesh& m, std::size_t first, std::uint32_t* out) const {
        for (const std::uint32_t i : order_of(m)) *out++ = static_cast<std::uint32_t>(first) + i;
    }
    void write_points(const Scene::Item& item, std::uint32_t* out) const {
        const bool faces = sort_ != Sort::lines;
        const std::vector<float>& source = faces ? item.mesh->corners : item.mesh->ends;
        const float* m = item.at.constData();  // column by column
        const std::uint32_t colour = packed_colour(faces ? item.face : item.line);
        const std::size_t step = faces ? 6 : 3;
        for (std::size_t i = 0; i + step <= source.size(); i += step) {
            const float *p = source.data() + i, *n = p + 3;
            const auto turned = [&](const float* v, int r) { return m[r] * v[0] + m[4 + r] * v[1] + m[8 + r] * v[2]; };
            for (int r = 0; r < 3; ++r) *out++ = std::bit_cast<std::uint32_t>(turned(p, r) + m[12 + r]);
            if (faces) *out++ = packed_direction({turned(n, 0), turned(n, 1), turned(n, 2)});
            *out++ = colour;
        }
    }

    const Sort sort_;
    const int stride_;
    std::vector<Kept> kept_;
    std::size_t count_ = 0;  ///< corners or ends that are drawn, one by one
    QOpenGLVertexArrayObject array_;
    PieceBuffer points_{QOpenGLBuffer::VertexBuffer};
    PieceBuffer order_{QOpenGLBuffer::IndexBuffer};
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
        for (Batch* b : {&closed_, &open_, &clear_, &lines_, &floor_}) b->create(*gl_);
        auto grid = std::make_shared<SceneMesh>();
        for (int i = -40; i <= 40; ++i)
            for (const float v :
                {i * 0.25f, -10.f, 0.f, i * 0.25f, 10.f, 0.f, -10.f, i * 0.25f, 0.f, 10.f, i * 0.25f, 0.f})
                grid->ends.push_back(v);
        grid->lines.resize(grid->ends.size() / 3);
        std::iota(grid->lines.begin(), grid->lines.end(), 0u);
        grid_ = std::move(grid);
        return true;
    }
    void end() {
        for (Batch* b : {&closed_, &open_, &clear_, &lines_, &floor_}) b->destroy();
        nothing_.destroy();
        target_.reset(), map_.reset(), blurred_.reset();
    }

    QImage draw(const Scene& scene) {
        const bool moved = closed_.follow(scene.items) | open_.follow(scene.items);
        clear_.follow(scene.items), lines_.follow(scene.items);
        QMatrix4x4 middle;
        middle.translate(scene.floor_x, scene.floor_y, 0);
        floor_.follow({{grid_, middle, {}, QVector4D(0.80f, 0.77f, 0.70f, 1.0f)}});
        const std::array floor{scene.floor_x, scene.floor_y, scene.floor_reach};
        if (moved || floor != cast_on_) cast_shadow(scene);  // an eye that goes round leaves it as it is
        cast_on_ = floor;
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
        gl_->glEnable(GL_CULL_FACE);
        closed_.draw(*gl_);
        gl_->glDisable(GL_CULL_FACE);
        open_.draw(*gl_);
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
        closed_.draw(*gl_), open_.draw(*gl_);
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
    std::array<float, 3> cast_on_{};  ///< middle and reach of the floor that the shadow was cast on last
    Batch closed_{Batch::Sort::closed}, open_{Batch::Sort::open}, clear_{Batch::Sort::clear},
        lines_{Batch::Sort::lines}, floor_{Batch::Sort::lines};
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
