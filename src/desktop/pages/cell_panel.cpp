#include "cell_panel.h"

#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>
#include <QTimer>
#include <algorithm>

#include <cell/edits/handling.h>
#include <cell/edits/mount.h>
#include <cell/model/tables.h>
#include <desktop/fields/field_editors.h>
#include <desktop/looks/form_place.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

/// A frame that unfolds when it is clicked.
class Fold : public QWidget {
public:
    Fold(bool open, std::function<void()> act) : open_(open), act_(std::move(act)) {}

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(open_ ? theme::accent : theme::rule, open_ ? 1.6 : 1));
        p.setBrush(open_ ? QColor(Qt::white) : QColor(0xF7, 0xF3, 0xEA));
        p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 3, 3);
    }
    void mousePressEvent(QMouseEvent*) override { act_(); }

private:
    const bool open_;
    std::function<void()> act_;
};

QString names_of(const std::vector<cell::Use>& uses) {
    QStringList all;
    for (const cell::Use& u : uses) all << QString::fromStdString(u.words);
    return all.join(", ");
}

/// Who uses what a card is about, and the line below for what can be done with it.
QHBoxLayout* add_foot(QVBoxLayout* card, const QString& words) {
    auto* said = plain_label(words);
    said->setWordWrap(true);
    said->setStyleSheet("color: #5C6870; font-size: 10px; padding: 0 8px;");
    card->addWidget(said);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(6, 0, 6, 0);
    card->addLayout(row);
    return row;
}

/// The tool that is seen gripping a part: that of the first arm, else any.
std::string gripping_tool(const cell::Cell& cell) {
    for (const cell::Device& d : cell.devices)
        if (d.arm && d.arm->tool) return d.arm->tool->id;
    return cell.tool_models.empty() ? std::string() : cell.tool_models.front().id;
}

}  // namespace

CellPanel::CellPanel(OpenCell& open, const Results& results, Selection& selection, QWidget* parent)
    : QScrollArea(parent),
      open_(open),
      results_(results),
      selection_(selection),
      page_(new QWidget),
      rows_(new QVBoxLayout(page_)),
      view_(new HandlingView(open, results, selection, this)) {
    setObjectName("cell_panel");
    view_->hide();
    connect(view_, &HandlingView::grip_chosen, this, [this](const QString& grip) {
        QTimer::singleShot(0, this, [this, grip] { grip_ = grip.toStdString(), rebuild(); });
    });
    setAccessibleName(tr("The cell: settings, parts, tools, pairs left out"));
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    rows_->setContentsMargins(8, 6, 8, 8);
    rows_->setSpacing(5);
    setWidget(page_);
    setMinimumWidth(200);
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (!open_.trying()) rebuild();
    });
    rebuild();
}

void CellPanel::resizeEvent(QResizeEvent* event) {
    QScrollArea::resizeEvent(event);
    page_->setMaximumWidth(viewport()->width());
}

std::string CellPanel::content() const {
    const cell::json& tree = open_.resolved();
    std::string all = unfolded_ + "|" + grip_;
    for (const char* key : {"name", "takt_s", "horizon_s", "safety_distance_mm", "seed", "part_types", "tool_models",
             "excluded_pairs", "costs"})
        all += tree.contains(key) ? tree[key].dump() : std::string("-");
    for (const cell::Device& d : open_.cell()->devices) {
        all += d.name + d.needs_part_type;
        if (d.arm)
            for (const cell::MountedTool& t : d.arm->tools) all += t.model->id;
    }
    for (const auto& [path, value] : open_.altered()) all += path;
    return all;
}

void CellPanel::rebuild() {
    std::string now = content();
    if (now == shown_) return;
    shown_ = std::move(now);
    const FormPlace place(page_, this);
    const bool in_view = view_->hasFocus();
    view_->setParent(this);
    view_->hide();
    while (QLayoutItem* item = rows_->takeAt(0)) {  // one of their controls may be the caller: they go later
        if (item->widget()) retire(item->widget());
        delete item;
    }
    add_title(tr("CELL"), tr("what holds for all of it"));
    add_settings();
    add_title(
        tr("PARTS"), tr("what is handled"), tr("+ part"), "add_part", [this](const QPoint& at) { offer_parts(at); });
    for (const cell::PartType& part : open_.cell()->part_types) add_part(part);
    add_title(tr("TOOLS"), tr("what with"), tr("+ tool"), "add_tool", [this](const QPoint& at) { offer_tools(at); });
    for (const cell::ToolModel& tool : open_.cell()->tool_models) add_tool(tool);
    add_pairs();
    rows_->addStretch(1);
    if (in_view && view_->isVisibleTo(this)) view_->setFocus();
}

QPushButton* CellPanel::button(
    QHBoxLayout* row, const QString& words, const QString& name, const std::function<void(const QPoint&)>& act) {
    auto* b = new QPushButton(words);
    b->setObjectName(name);
    b->setProperty("link", true);
    connect(b, &QPushButton::clicked, this, [this, b, act] {
        const QPoint at = b->mapToGlobal(QPoint(0, b->height()));
        QTimer::singleShot(0, this, [act, at] { act(at); });
    });
    row->addWidget(b);
    return b;
}

void CellPanel::add_title(const QString& words, const QString& hint, const QString& link, const QString& name,
    const std::function<void(const QPoint&)>& act) {
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, rows_->count() ? 6 : 0, 0, 0);
    auto* title = marked_label(QString("<b>%1</b> &nbsp;<span style='color:#5C6870'>%2</span>").arg(words, hint));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    row->addWidget(title, 1);
    if (act) button(row, link, name, act);
    rows_->addWidget(line);
}

void CellPanel::add_settings() {
    auto* holder = new QWidget;
    auto* column = new QVBoxLayout(holder);
    column->setContentsMargins(0, 0, 0, 0);
    FieldGrid grid = new_field_grid(column);
    grid.layout->setContentsMargins(8, 0, 8, 0);
    cell::json values = cell::json::object();
    cell::Fields settings;
    for (const cell::Field& f : cell::cell_fields()) {
        const bool plain_value = f.type == cell::Field::Type::number || f.type == cell::Field::Type::whole ||
                                 f.type == cell::Field::Type::text;
        if (!plain_value || f.key == "escarp") continue;
        settings.push_back(f);
        if (open_.resolved().contains(f.key)) values[f.key] = open_.resolved()[f.key];
    }
    const EditedGroup group{"", values, "cell_", tr("Change the cell")};
    FieldEditors(open_, results_, grid, this, group).add(settings);
    const EditedGroup costs{
        "/costs", open_.resolved().value("costs", cell::json::object()), "costs_", tr("Change the costs")};
    FieldEditors(open_, results_, grid, this, costs).add(cell::cost_fields());
    rows_->addWidget(holder);
}

QVBoxLayout* CellPanel::card(const std::string& id, const std::string& name, const QString& info) {
    const bool unfolded = unfolded_ == id;
    auto* made = new Fold(unfolded, [this, id] {
        QTimer::singleShot(0, this, [this, id] {
            unfolded_ = unfolded_ == id ? std::string() : id;
            grip_.clear();
            rebuild();
        });
    });
    made->setObjectName("cell_card_" + QString::fromStdString(id));
    auto* layout = new QVBoxLayout(made);
    layout->setContentsMargins(2, 4, 2, 4);
    layout->setSpacing(2);
    auto* header = new QHBoxLayout;
    header->setContentsMargins(8, 0, 6, 0);
    auto* title = plain_label(QString::fromStdString(name));
    title->setFont(theme::font(12, true));
    title->setAttribute(Qt::WA_TransparentForMouseEvents);
    title->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    header->addWidget(title, 1);
    auto* said = plain_label(info);
    said->setStyleSheet("color: #5C6870; font-size: 10px;");
    said->setAttribute(Qt::WA_TransparentForMouseEvents);
    header->addWidget(said);
    layout->addLayout(header);
    rows_->addWidget(made);
    return unfolded ? layout : nullptr;
}

void CellPanel::add_part(const cell::PartType& part) {
    const auto uses = cell::uses_of_part_type(open_.layout(), part.id);
    QVBoxLayout* layout =
        card(part.id, part.name, tr("%1 kg \u00b7 %2").arg(part.mass).arg(counted(uses.size(), tr("use"), tr("uses"))));
    if (!layout) return;
    view_->show_part(part.id, grip_, gripping_tool(*open_.cell()));
    layout->addWidget(view_);
    view_->show();
    const cell::json* values = cell::find(open_.resolved(), cell::Path("part_types") / part.id);
    FieldGrid grid = new_field_grid(layout);
    grid.layout->setContentsMargins(8, 2, 8, 2);
    const EditedGroup group{cell::Path("part_types") / part.id, values ? *values : cell::json::object(), "part_",
        tr("Change %1").arg(QString::fromStdString(part.name))};
    FieldEditors editors(open_, results_, grid, this, group);
    editors.on_rename([this, id = part.id](const std::string& path, const std::string& to) {
        if (path.find("/grips/") == std::string::npos) return;
        make([=](const cell::Layout& l, std::string*) {
            return cell::rename_grip(l, id, path.substr(path.rfind('/') + 1), to);
        });
    });
    for (const cell::Field& f : cell::part_type_fields())
        if (f.key != "id") editors.add(f);
    auto* row = add_foot(layout, uses.empty() ? tr("Nobody handles it yet: give it to an infeed or a tray.")
                                              : tr("Used by %1").arg(names_of(uses)));
    button(row, tr("copy"), "copy_" + QString::fromStdString(part.id), [this, id = part.id](const QPoint&) {
        make([id](const cell::Layout& l, std::string* made) { return cell::copy_of(l, "part_types", id, made); });
    });
    button(row, tr("remove"), "remove_" + QString::fromStdString(part.id),
        [this, id = part.id](const QPoint& at) { offer_removal("part_types", id, at); });
    row->addStretch(1);
}

void CellPanel::add_tool(const cell::ToolModel& tool) {
    const auto uses = cell::uses_of_tool(open_.layout(), tool.id);
    QVBoxLayout* layout = card(tool.id, tool.name, tr("%1 kg").arg(tool.mass));
    if (!layout) return;
    view_->show_tool(tool.id);
    layout->addWidget(view_);
    view_->show();
    const cell::json* values = cell::find(open_.resolved(), cell::Path("tool_models") / tool.id);
    FieldGrid grid = new_field_grid(layout);
    grid.layout->setContentsMargins(8, 2, 8, 2);
    const EditedGroup group{cell::Path("tool_models") / tool.id, values ? *values : cell::json::object(), "tool_",
        tr("Change %1").arg(QString::fromStdString(tool.name))};
    FieldEditors editors(open_, results_, grid, this, group);
    for (const cell::Field& f : cell::tool_model_fields())
        if (f.key != "id") editors.add(f);
    auto* row = add_foot(layout, uses.empty() ? tr("On no arm yet.") : tr("On %1").arg(names_of(uses)));
    button(
        row, tr("put on \u2026"), "mount_" + QString::fromStdString(tool.id), [this, id = tool.id](const QPoint& at) {
            auto* menu = new QMenu(this);
            menu->setObjectName("mount_menu");
            menu->setAttribute(Qt::WA_DeleteOnClose);
            for (const cell::Device& d : open_.cell()->devices)
                if (d.arm)
                    menu->addAction(menu_text(QString::fromStdString(d.name)), this, [this, id, arm = d.id] {
                        make([=](const cell::Layout& l, std::string*) { return cell::mount_tool(l, arm, 0, id); });
                    });
            if (menu->isEmpty()) menu->addAction(tr("There is no arm yet"))->setEnabled(false);
            menu->popup(at);
        });
    button(row, tr("copy"), "copy_" + QString::fromStdString(tool.id), [this, id = tool.id](const QPoint&) {
        make([id](const cell::Layout& l, std::string* made) { return cell::copy_of(l, "tool_models", id, made); });
    });
    button(row, tr("remove"), "remove_" + QString::fromStdString(tool.id),
        [this, id = tool.id](const QPoint& at) { offer_removal("tool_models", id, at); });
    row->addStretch(1);
}

void CellPanel::add_pairs() {
    add_title(tr("PAIRS"), tr("judged otherwise"), tr("+ pair"), "add_pair", [this](const QPoint&) {
        const QStringList chosen = selection_.all();
        if (chosen.size() != 2)
            return Q_EMIT open_.refused(tr("Not changed"),
                tr("Select two devices first (click one, Shift-click the other): their clearance is then not judged."));
        make([&](const cell::Layout& l, std::string*) {
            return cell::leave_out(l, {chosen[0].toStdString(), chosen[1].toStdString()}, "");
        });
    });
    const cell::Cell& cell = *open_.cell();
    for (std::size_t i = 0; i < cell.exclusions.size(); ++i) add_pair(cell, i);
}

void CellPanel::add_pair(const cell::Cell& cell, std::size_t i) {
    const cell::Exclusion& x = cell.exclusions[i];
    const cell::Device &a = cell.devices[x.a], *b = x.b < 0 ? nullptr : &cell.devices[x.b];
    const auto name = [](const cell::Device& d, const std::string& body) {
        return QString::fromStdString(body.empty() ? d.name : d.name + " " + body);
    };
    auto* holder = new QWidget;
    auto* column = new QVBoxLayout(holder);
    column->setContentsMargins(8, 0, 4, 0);
    column->setSpacing(1);
    auto* row = new QHBoxLayout;
    auto* names =
        plain_label(name(a, x.body_a) + QStringLiteral(" \u2013 ") + (b ? name(*b, x.body_b) : tr("all others")));
    names->setWordWrap(true);
    row->addWidget(names, 1);
    button(row, tr("judge again"), "take_back_" + QString::number(i),
        [this, pair = cell::Pair{a.id, b ? b->id : "", x.body_a, x.body_b}](
            const QPoint&) { make([=](const cell::Layout& l, std::string*) { return cell::take_back(l, pair); }); });
    column->addLayout(row);
    auto* reason = new QLineEdit(QString::fromStdString(x.reason));
    reason->setObjectName("pair_reason_" + QString::number(i));
    reason->setPlaceholderText(tr("reason"));
    connect(reason, &QLineEdit::editingFinished, this, [this, reason, i] {
        if (!reason->isModified()) return;
        reason->setModified(false);
        QTimer::singleShot(0, this, [this, i, words = reason->text().trimmed().toStdString()] {
            open_.apply({tr("Say why a pair is left out").toStdString(),
                {cell::Operation::set(cell::Path("excluded_pairs") / std::to_string(i) / "reason", words)}});
        });
    });
    column->addWidget(reason);
    FieldGrid grid = new_field_grid(column);
    const cell::Path at = cell::Path("excluded_pairs") / std::to_string(i);
    const cell::json* pair = cell::find(open_.resolved(), at);
    if (!pair) return;  // it has just been taken back
    EditedGroup edited{at, *pair, "pair_" + QString::number(i) + "_", tr("Change how a pair is judged"), &a};
    const auto add = [&](const char* key, const cell::Device* of) {
        edited.owner = of;
        FieldEditors(open_, results_, grid, this, edited).add(*cell::find_field(cell::exclusion_fields(), key));
    };
    add("a_body", &a);
    add("b", &a);
    if (b) add("b_body", b);
    // One excludes the other.
    if (!x.distance) add("while", nullptr);
    if (!x.only_while) add("distance_mm", nullptr);
    rows_->addWidget(holder);
}

void CellPanel::make(const std::function<cell::Edit(const cell::Layout&, std::string*)>& edit) {
    try {
        std::string id;
        const cell::Edit made = edit(open_.layout(), &id);
        if (!id.empty()) unfolded_ = id, grip_.clear();
        open_.apply(made);
        if (!id.empty()) open(QString::fromStdString(id));
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
    }
}

void CellPanel::open(const QString& id) {
    unfolded_ = id.toStdString();
    rebuild();
    Q_EMIT wants_to_be_seen();
    QTimer::singleShot(0, this, [this, id] {
        for (QWidget* card : page_->findChildren<QWidget*>("cell_card_" + id))
            if (!card->isHidden()) verticalScrollBar()->setValue(card->y() - 4);
    });
}

void CellPanel::offer_parts(const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setObjectName("part_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const cell::BodyShape& shape : cell::body_shapes())
        if (shape.word != "hull" && shape.word != "mesh")
            menu->addAction(tr(shape.label.c_str()), this, [this, word = shape.word] {
                make([word](const cell::Layout& l, std::string* id) { return cell::add_part_type(l, word, id); });
            });
    menu->addSeparator();
    menu->addAction(tr("imported geometry \u2026"), this, [this] { Q_EMIT wants_import(); });
    menu->popup(at);
}

void CellPanel::offer_tools(const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setObjectName("tool_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const int selected = open_.cell()->device(selection_.first().device.toStdString());
    const std::string arm =
        selected >= 0 && open_.cell()->devices[selected].arm ? open_.cell()->devices[selected].id : "";
    for (const cell::ToolOffer& offer : cell::tool_offers()) {
        const QString words = arm.empty()
                                  ? tr(offer.label.c_str())
                                  : tr("%1 for %2")
                                        .arg(tr(offer.label.c_str()),
                                            menu_text(QString::fromStdString(open_.cell()->devices[selected].name)));
        menu->addAction(words, this, [this, what = offer.what, arm] {
            make([&](const cell::Layout& l, std::string* id) { return cell::add_tool(l, what, arm, id); });
        });
    }
    menu->addSeparator();
    menu->addAction(tr("imported geometry \u2026"), this, [this] { Q_EMIT wants_import(); });
    menu->popup(at);
}

void CellPanel::offer_removal(const std::string& list, const std::string& id, const QPoint& at) {
    const bool part = list == "part_types";
    const auto uses = part ? cell::uses_of_part_type(open_.layout(), id) : cell::uses_of_tool(open_.layout(), id);
    const auto remove = [this, part, id](const std::string& instead) {
        make([=](const cell::Layout& l, std::string*) {
            return part ? cell::remove_part_type(l, id, instead) : cell::remove_tool(l, id, instead);
        });
    };
    if (uses.empty()) return remove("");
    auto* menu = new QMenu(this);
    menu->setObjectName("removal_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(menu_text(tr("Used by %1").arg(names_of(uses))))->setEnabled(false);
    const auto offer = [&](const std::string& other, const std::string& name) {
        if (other != id)
            menu->addAction(menu_text(tr("%1 takes its place").arg(QString::fromStdString(name))), this,
                [remove, other] { remove(other); });
    };
    if (part)
        for (const cell::PartType& p : open_.cell()->part_types) offer(p.id, p.name);
    else
        for (const cell::ToolModel& t : open_.cell()->tool_models) offer(t.id, t.name);
    menu->addAction(
        part ? tr("Remove what needs it, too") : tr("Leave the arms without it"), this, [remove] { remove(""); });
    menu->popup(at);
}

}  // namespace escarp::desktop
