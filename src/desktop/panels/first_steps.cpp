#include "first_steps.h"

#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include <cell/edits/arrange.h>
#include <cell/edits/compose.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <kinematics/reach.h>
#include <simulation/kinds.h>

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

FirstSteps::FirstSteps(OpenCell& open, const Results& results, Selection& selection, QWidget* parent)
    : QWidget(parent), open_(open), results_(results), selection_(selection) {
    setObjectName("first_steps");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 12, 16, 12);
    layout->setSpacing(4);
    connect(&open_, &OpenCell::document_changed, this, &FirstSteps::renew);
    connect(&results_, &Results::evaluated, this, &FirstSteps::renew);
    renew();
}

void FirstSteps::begin() {
    wanted_ = true;
    closed_ = false;
    renew();
}

/// Places one of the catalogue's offerings by its label.
void FirstSteps::put(const QString& label, const Frame& world, const cell::json& over) {
    try {
        for (cell::Offering what : cell::offerings(simulation::standard_kinds())) {
            if (what.label != label.toStdString()) continue;
            for (const auto& [key, value] : over.items()) what.parameters[key] = value;
            std::string id;
            if (open_.apply(cell::add_device_at(open_.layout(), what, world, &id)))
                selection_.select(QString::fromStdString(id));
            return;
        }
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

std::vector<FirstSteps::Line> FirstSteps::lines() {
    const cell::Cell& c = *open_.cell();
    int arm = -1, table = -1, supply = -1, collect = -1;
    bool task = false;
    for (const int index : indices(c.devices)) {
        const cell::Device& d = c.devices[index];
        if (d.arm && arm < 0) arm = index;
        if (d.kind->carries_devices() && d.extent().high.x() > 0.3 && table < 0) table = index;
        if (!d.seats.empty()) {
            const simulation::Kind& kind = simulation::kind_of(d);
            const bool gives = !kind.pick_seats(d).empty(), takes = !kind.place_seats(d).empty();
            if (gives && supply < 0) supply = index;
            if (takes && index != supply && collect < 0) collect = index;
        }
        task = task || (d.arm && cell::all_steps(d).size() >= 2);
    }
    // In front of the arm, at about half of what it reaches.
    const Frame base = arm >= 0 ? c.devices[arm].world : Frame::Identity();
    const double length = arm >= 0 ? kinematics::arm_length(*c.devices[arm].arm->model) : 0.9;
    const auto ahead = [base, length](double x, double y) {
        Frame f = base * geometry::make_frame({x * length, y * length, 0});
        f.translation().z() = 0;
        return f;
    };
    const auto on_table = [=, &c](double y) {
        if (table < 0) return ahead(0.65, y / std::max(0.1, length));
        return Frame(c.devices[table].world * geometry::make_frame({0, y, 0}));
    };
    std::vector<Line> out;
    out.push_back({tr("Place an arm"), tr("six-axis, 900 mm class"), "first_arm", arm >= 0,
        [this] { put("Six-axis 900", Frame::Identity()); }});
    out.push_back(
        {tr("Place a table in front of it"), tr("500 x 1000 mm, 300 high"), "first_table", table >= 0, [this, ahead] {
             put("Table", ahead(0.68, 0), {{"length_mm", 500.0}, {"width_mm", 1000.0}, {"height_mm", 300.0}});
         }});
    out.push_back({tr("Bring parts: a full tray"), tr("or an infeed on a conveyor"), "first_supply", supply >= 0,
        [this, on_table] {
            put("Tray of parts", on_table(-0.24), {{"columns", 2}, {"rows", 3}});
        }});
    out.push_back({tr("Say where they go: an empty tray"), tr("or a fixture, a bin, a belt"), "first_collect",
        collect >= 0, [this, on_table] {
            put("Empty tray", on_table(0.24), {{"columns", 2}, {"rows", 3}});
        }});
    out.push_back({tr("Give the arm its work: pick and place"), tr("and read the cycle"), "first_task", task,
        [this, arm, supply, collect] {
            const cell::Cell& cell = *open_.cell();
            if (arm < 0 || supply < 0 || collect < 0)
                return Q_EMIT open_.refused(tr("No work yet"),
                    tr("The arm needs a place to pick from and one to place in: do the lines above first."));
            const std::string id = cell.devices[arm].id;
            const cell::json steps = {{{"id", "s1"}, {"do", "pick"}, {"from", cell.devices[supply].id}},
                {{"id", "s2"}, {"do", "place"}, {"in", cell.devices[collect].id}}};
            open_.apply({tr("Pick and place with %1").arg(QString::fromStdString(cell.devices[arm].name)).toStdString(),
                {cell::Operation::set(cell::at_device(id) / "task", steps)}});
            selection_.select(QString::fromStdString(id));
        }});
    return out;
}

/// One line: what to do, or that it is done.
void FirstSteps::add_line(QVBoxLayout* layout, const Line& line, std::size_t number, bool next) {
    auto* row = new QHBoxLayout;
    auto* sign = plain_label(line.done ? QStringLiteral("\u2713") : QString::number(number));
    sign->setFixedWidth(16);
    sign->setStyleSheet(
        QString("font-weight: bold; color: %1;").arg(line.done ? theme::good.name() : theme::muted.name()));
    row->addWidget(sign);
    auto* button = new QPushButton(line.text);
    button->setObjectName(line.name);
    button->setProperty("link", true);
    button->setEnabled(!line.done);
    if (next) button->setStyleSheet("font-size: 13px;");
    connect(
        button, &QPushButton::clicked, this, [act = line.act] { act(); }, Qt::QueuedConnection);
    row->addWidget(button);
    auto* hint = plain_label(line.hint);
    hint->setStyleSheet(QString("color: %1; font-size: 11px;").arg(theme::muted.name()));
    row->addWidget(hint);
    row->addStretch(1);
    layout->addLayout(row);
}

void FirstSteps::renew() {
    if (open_.trying()) return;
    const auto e = results_.shown();
    if (open_.cell()->devices.empty() && open_.file().isEmpty() && !open_.can_undo() && !closed_) wanted_ = true;
    if (open_.cell()->devices.size() > 8 || !open_.file().isEmpty()) wanted_ = wanted_ && open_.cell()->devices.empty();
    const bool cycle = e && results_.current() && e->figures.cycle_s;
    setVisible(wanted_ && !cycle);
    if (!isVisibleTo(parentWidget())) return;
    auto* layout = static_cast<QVBoxLayout*>(this->layout());
    clear(layout);
    const std::vector<Line> all = lines();
    auto* title =
        marked_label(open_.cell()->devices.empty() ? tr("<b>The floor is empty.</b> A first cell in five clicks:")
                                                   : tr("<b>A first cell</b>, next:"));
    layout->addWidget(title);
    bool next = true;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const bool first = next && !all[i].done;
        add_line(layout, all[i], i + 1, first);
        next = next && !first;
    }
    auto* more = new QHBoxLayout;
    const auto link = [&](const QString& text, const QString& name, auto act) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setProperty("link", true);
        connect(b, &QPushButton::clicked, this, act, Qt::QueuedConnection);
        more->addWidget(b);
    };
    link(tr("or take anything from the catalogue (N)"), "first_catalogue", [this] { Q_EMIT wants_catalogue(); });
    more->addStretch(1);
    link(tr("close"), "first_close", [this] {
        wanted_ = false;
        closed_ = true;
        renew();
    });
    layout->addLayout(more);
    for (QWidget* child : findChildren<QWidget*>())
        if (!child->testAttribute(Qt::WA_WState_ExplicitShowHide))
            child->show();  // else the layout counts it as empty until the next event
    adjustSize();
    if (QWidget* over = parentWidget())
        move((over->width() - width()) / 2,
            open_.cell()->devices.empty() ? (over->height() - height()) / 2 : over->height() - height() - 10);
}

void FirstSteps::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme::rule, 1));
    p.setBrush(theme::panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
}

}  // namespace escarp::desktop
