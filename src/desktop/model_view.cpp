#include "model_view.h"

#include <QPainter>
#include <cmath>

#include "plan_drawing.h"
#include "theme.h"

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

ModelView::ModelView(Workspace& workspace, QWidget* parent) : SceneView(parent), workspace_(workspace) {
    setObjectName("model");
    setAccessibleName(tr("Model: the cell in 3D"));
    connect(&workspace_, &Workspace::document_changed, this, [this] {
        if (fitted_ && !workspace_.trying()) fit();
        // While something is dragged the Floor comes first; the Model follows a little less often.
        if (!workspace_.trying()) return renew();
        if (!later_.isActive()) later_.start(50);
    });
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &ModelView::renew);
    for (auto signal : {&Workspace::evaluated, &Workspace::time_changed, &Workspace::posed_changed, &Workspace::selection_changed, &Workspace::shown_changed}) connect(&workspace_, signal, this, &ModelView::renew);
}

void ModelView::fit() {
    fit_to({});
    fitted_ = true;
}

void ModelView::fit_selection() {
    fit_to(workspace_.selected_indexes());
    fitted_ = workspace_.selected_indexes().empty();
}

/// Brings devices into view; all of them for an empty list.
void ModelView::fit_to(const std::vector<int>& devices) {
    geometry::Box3 all;
    for (std::size_t i = 0; i < workspace_.cell()->devices.size(); ++i) {
        if (!devices.empty() && std::find(devices.begin(), devices.end(), static_cast<int>(i)) == devices.end()) continue;
        const cell::Device& d = workspace_.cell()->devices[i];
        for (const geometry::Body& b : d.bodies) {
            const geometry::Box3 one = geometry::bounds(b.shape, d.world * b.at);
            all.add(one.low), all.add(one.high);
        }
        if (d.arm) all.add(d.world.translation() + Vector3(0, 0, 0.5), 0.5);
        if (d.bodies.empty())
            for (const cell::Mark& m : d.marks)
                for (const Vector3& p : m.line) all.add(d.world * p);
    }
    if (all.empty()) all.add({-1.3, -1, 0}), all.add({1.3, 1, 1});
    show_box(all, devices.empty() ? 1.02 : 1.7, devices.empty() ? 0.8 : 1.0);
}

std::vector<ModelView::Item> ModelView::items() const {
    std::vector<Item> out;
    const cell::Cell& c = *workspace_.cell();
    const auto e = workspace_.evaluation();
    bool hides_pieces = false;
    for (std::size_t i = 0; i < c.devices.size(); ++i) {
        const cell::Device& d = c.devices[i];
        if (workspace_.hidden(d.id)) continue;
        const bool chosen = workspace_.is_selected(d.id);
        const int index = static_cast<int>(i);
        const QColor fill = theme::look_colour(d.look, d.colour);
        // Pieces of a surface are only drawn while the surface itself is not there.
        const auto add = [&](const geometry::Body& b, const Frame& at, const QColor& colour) {
            const Surfaces::Kept* surface = b.stand_in ? workspace_.surfaces().find(b.mesh) : nullptr;
            Item item{&b.shape, at * b.at, colour, index, chosen, b.see_through};
            if (surface && surface->surface) item.surface = surface;
            else if (surface && !surface->missing.isEmpty()) item.colour = theme::stop, item.see_through = true;
            item.drawn = !(b.stand_in && b.mesh.empty() && hides_pieces);
            if (b.stand_in && !b.mesh.empty()) hides_pieces = item.surface != nullptr;
            out.push_back(item);
        };
        for (const geometry::Body& b : d.bodies) add(b, d.world, fill);
        if (!d.arm) continue;
        std::vector<Frame> frames;
        d.arm->model->mechanism.link_frames(joints_at(c, index, e.get(), workspace_.time(), workspace_.posed()), d.world, frames);
        const auto& links = d.arm->model->mechanism.links;
        for (std::size_t l = 0; l < links.size(); ++l)
            for (const geometry::Body& b : links[l].bodies) add(b, frames[l], l == 0 ? theme::steel : fill);
        for (const geometry::Body& b : d.arm->tool_bodies) add(b, frames[static_cast<std::size_t>(d.arm->model->flange_link)] * d.arm->model->flange, QColor(0xC9, 0x8A, 0x6A));
    }
    if (!e) return out;
    const auto now = static_cast<simulation::Ticks>(std::llround(workspace_.time() * 1e9));
    for (std::size_t p = 0; p < e->run->trace.parts.size(); ++p) {
        Frame at;
        if (!e->run->trace.part_frame(*e->cell, static_cast<int>(p), now, at)) continue;
        const cell::PartType& type = e->cell->part_types[static_cast<std::size_t>(e->run->trace.parts[p].type)];
        const QColor fill = e->run->trace.result(static_cast<int>(p), now) == "reject" ? QColor(0xE3, 0xB4, 0xC4) : type.colour.empty() ? theme::part : QColor(QString::fromStdString(type.colour));
        for (const geometry::Body& b : type.bodies) {
            const Surfaces::Kept* surface = b.stand_in ? workspace_.surfaces().find(b.mesh) : nullptr;
            Item item{&b.shape, at * b.at, fill, -1, false};
            if (surface && surface->surface) item.surface = surface;
            item.drawn = !(b.stand_in && b.mesh.empty() && hides_pieces);
            if (b.stand_in && !b.mesh.empty()) hides_pieces = item.surface != nullptr;
            out.push_back(item);
        }
    }
    return out;
}

void ModelView::clicked(int device, Qt::KeyboardModifiers keys) {
    if (device >= 0 && keys & Qt::ShiftModifier) return workspace_.toggle(QString::fromStdString(workspace_.cell()->devices[static_cast<std::size_t>(device)].id));
    workspace_.select(device >= 0 ? QString::fromStdString(workspace_.cell()->devices[static_cast<std::size_t>(device)].id) : QString());
}

/// Frames and names over the bodies, where they are asked for.
void ModelView::draw_devices(QPainter& p) const {
    const Shown& shown = workspace_.shown();
    for (const cell::Device& d : workspace_.cell()->devices) {
        if (workspace_.hidden(d.id)) continue;
        const auto origin = pixel_of(d.world.translation());
        if (shown.frames) draw_axes(p, d.world, 0.15);
        const geometry::Box3 box = d.extent();
        const auto top = box.empty() ? origin : pixel_of(d.world * Vector3(0.5 * (box.low.x() + box.high.x()), 0.5 * (box.low.y() + box.high.y()), box.high.z()));
        if (!shown.model_names || !top) continue;
        p.setFont(theme::font(10));
        const QString name = QString::fromStdString(d.name);
        QRectF label(0, 0, QFontMetricsF(p.font()).horizontalAdvance(name) + 6, 14);
        label.moveCenter(*top - QPointF(0, 9));
        p.fillRect(label, QColor(0xFC, 0xFA, 0xF5, 205));
        p.setPen(workspace_.is_selected(d.id) ? theme::accent : theme::ink);
        p.drawText(label, Qt::AlignCenter, name);
    }
}

void ModelView::paint_words(QPainter& p) {
    if (workspace_.shown() == Shown::nothing()) return;
    draw_devices(p);
    p.setFont(theme::font(12, true));
    p.setPen(theme::muted);
    p.drawText(QPointF(10, 16), tr("MODEL"));
    const double after = 18 + QFontMetricsF(p.font()).horizontalAdvance(tr("MODEL"));
    p.setFont(theme::font(11));
    QString sub = tr("%1 s").arg(workspace_.time(), 0, 'f', 2);
    const int device = workspace_.cell()->device(workspace_.selection().device.toStdString());
    if (device >= 0) sub = QString::fromStdString(workspace_.cell()->devices[static_cast<std::size_t>(device)].name) + QStringLiteral(" \u00b7 ") + sub;
    theme::text(p, QRectF(after, 3, width() - after - 6, 18), sub);
    if (!working()) p.drawText(rect(), Qt::AlignCenter, tr("This display has no OpenGL 3.3;\nthe model cannot be drawn."));
    const auto e = workspace_.evaluation();
    // Joint values and tool pose of a selected arm, at a glance.
    if (device < 0 || !workspace_.cell()->devices[static_cast<std::size_t>(device)].arm) return;
    const cell::Device& d = workspace_.cell()->devices[static_cast<std::size_t>(device)];
    const kinematics::JointVector q = joints_at(*workspace_.cell(), device, e.get(), workspace_.time(), workspace_.posed());
    const Frame tool = d.world * d.arm->model->flange_frame(q) * d.arm->tool_frame;
    const double degree = geometry::pi / 180;
    QStringList rows;
    const auto tenths = [](double v) { return QString::number(std::abs(v) < 0.05 ? 0.0 : v, 'f', 1); };
    QString joints;
    for (int j = 0; j < q.size(); ++j) joints += QString("%1%2").arg(j ? QStringLiteral("  ") : QString()).arg(tenths(q[j] / degree));
    const Vector3 r = geometry::to_triple(tool.linear()) / degree, o = tool.translation() * 1e3;
    rows << tr("joints  %1 \u00b0").arg(joints) << tr("tool in world  X %1  Y %2  Z %3 mm").arg(tenths(o.x()), tenths(o.y()), tenths(o.z()))
         << tr("Rx %1  Ry %2  Rz %3 \u00b0 (fixed x, y, z)").arg(tenths(r.x()), tenths(r.y()), tenths(r.z()));
    p.setFont(theme::font(10));
    p.fillRect(QRectF(0, height() - 48, width(), 48), QColor(0xFC, 0xFA, 0xF5, 225));
    p.setPen(theme::ink);
    for (int i = 0; i < rows.size(); ++i) theme::text(p, QRectF(8, height() - 46 + 15 * i, width() - 12, 15), rows[i]);
}

}  // namespace escarp::desktop
