#include "worksheet.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QPointer>
#include <QPushButton>
#include <QScrollBar>
#include <QStyle>
#include <QTimer>
#include <QToolButton>
#include <QToolTip>
#include <algorithm>

#include <cell/edits/arrange.h>
#include <cell/edits/compose.h>
#include <cell/edits/signal_edits.h>
#include <cell/model/device_kind.h>
#include <cell/model/tables.h>
#include <cell/text/names.h>
#include <desktop/fields/altered_mark.h>
#include <desktop/fields/arm_fields.h>
#include <desktop/fields/condition_field.h>
#include <desktop/fields/field_editors.h>
#include <desktop/fields/typed_number.h>
#include <desktop/looks/form_place.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <inspection/status.h>

#include "step_line.h"

namespace escarp::desktop {
namespace {

EditedGroup edited(const cell::Device& d, const cell::json& values, const QString& title) {
    return {cell::at_device(d.id), values, QString::fromStdString("field_" + d.id + "_"),
        title.arg(QString::fromStdString(d.name)), &d};
}

/// A card: a frame that selects its device when clicked.
class Card : public QWidget {
public:
    Card(Workspace& workspace, const QString& id, QWidget* parent) : QWidget(parent), workspace_(workspace), id_(id) {
        setObjectName("card_" + id);
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        const bool selected = workspace_.selection.first().device == id_;
        p.setPen(QPen(selected ? theme::accent : theme::rule, selected ? 1.6 : 1));
        p.setBrush(selected ? QColor(Qt::white) : QColor(0xF7, 0xF3, 0xEA));
        p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 3, 3);
    }
    void mousePressEvent(QMouseEvent*) override { workspace_.selection.select(id_); }

private:
    Workspace& workspace_;
    QString id_;
};

}  // namespace

Worksheet::Worksheet(Workspace& workspace, QWidget* parent)
    : QScrollArea(parent), workspace_(workspace), page_(new QWidget), cards_(new QVBoxLayout(page_)) {
    setObjectName("worksheet");
    setAccessibleName(tr("Worksheet: devices and their steps"));
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    cards_->setContentsMargins(8, 6, 8, 8);
    cards_->setSpacing(5);
    setWidget(page_);
    setMinimumWidth(200);
    connect(&workspace_.open, &OpenCell::document_changed, this, [this] {
        if (!workspace_.open.trying()) rebuild();
    });
    connect(&workspace_.selection, &Selection::selection_changed, this, [this] { rebuild(); });
    connect(&workspace_.results, &Results::evaluated, this, &Worksheet::tell_status);
    connect(&workspace_.playhead, &Playhead::time_changed, this, &Worksheet::tell_status);
    connect(&workspace_.results, &Results::evaluated, this, &Worksheet::refresh);
    connect(&workspace_.results, &Results::gains_found, this, &Worksheet::refresh);
    rebuild();
}

void Worksheet::resizeEvent(QResizeEvent* event) {
    QScrollArea::resizeEvent(event);
    page_->setMaximumWidth(viewport()->width());
}

void Worksheet::refresh() {
    for (StepLine* line : page_->findChildren<StepLine*>()) line->refresh();
}

void Worksheet::set_value(const std::string& path, const cell::json& value, const QString& name) {
    workspace_.open.apply({name.toStdString(), {cell::Operation::set(path, value)}});
}

void Worksheet::rebuild() {
    if (building_) return;
    building_ = true;
    const FormPlace place(page_, this);
    if (cards_->count() == 0) add_head();
    QWidget* chosen = renew_cards();
    building_ = false;
    tell_status();
    if (shown_selection_ == workspace_.selection.first()) return;  // a value has changed: it stays where it is
    shown_selection_ = workspace_.selection.first();
    scroll_to(chosen);
}

void Worksheet::add_head() {
    auto* title = marked_label(tr("<b>WORKSHEET</b> &nbsp;<span style='color:#5C6870'>who does what</span>"));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    cards_->addWidget(title);
    auto* add = new QPushButton(tr("+ device  (N)"));
    add->setObjectName("add_device");
    add->setProperty("link", true);
    connect(add, &QPushButton::clicked, this,
        [this, add] { Q_EMIT wants_device(add->mapToGlobal(QPoint(0, add->height()))); });
    auto* part = new QPushButton(tr("+ part"));
    part->setObjectName("add_part_too");
    part->setProperty("link", true);
    part->setToolTip(tr("A new part to be handled; parts and tools stand under \"Cell\""));
    connect(part, &QPushButton::clicked, this,
        [this, part] { Q_EMIT wants_part(part->mapToGlobal(QPoint(0, part->height()))); });
    auto* links = new QWidget;
    auto* row = new QHBoxLayout(links);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(add);
    row->addWidget(part);
    row->addStretch(1);
    cards_->addWidget(links);
    cards_->addStretch(1);
}

/// A card for each device; those that stay as they were are kept. The one that is chosen; null: none.
QWidget* Worksheet::renew_cards() {
    const cell::json& values = workspace_.open.resolved();
    QWidget* chosen = nullptr;
    std::map<std::string, Made> kept;
    std::map<std::string, const cell::json*> by_id;
    if (values.contains("devices"))
        for (const cell::json& own : values["devices"])
            if (own.is_object()) by_id[own.value("id", "")] = &own;
    int at = 1;
    for (const cell::Device& d : workspace_.open.cell()->devices) {
        const auto own = by_id.find(d.id);
        if (own == by_id.end()) continue;
        const std::string key = card_key(d, *own->second);
        QWidget* shown = nullptr;
        if (const auto old = made_.find(d.id); old != made_.end() && old->second.key == key) {
            shown = old->second.card;
            made_.erase(old);
            if (cards_->indexOf(shown) != at) cards_->insertWidget(at, shown);
        } else {
            shown = card(d, *own->second);
            cards_->insertWidget(at, shown);
        }
        kept[d.id] = {shown, key};
        ++at;
        if (QString::fromStdString(d.id) == workspace_.selection.first().device) chosen = shown;
    }
    for (const auto& [id, gone] : made_) {  // one of their own controls may be the caller: they go later
        cards_->removeWidget(gone.card);
        retire(gone.card);
    }
    made_ = std::move(kept);
    return chosen;
}

/// The part of the chosen card that matters comes into view, once the list stands where it was.
void Worksheet::scroll_to(QWidget* chosen) {
    QTimer::singleShot(0, this, [this, chosen, guard = QPointer<QWidget>(chosen)] {
        if (!guard || !page_->isAncestorOf(guard)) return;  // the form was made anew meanwhile
        // Only up and down: the part of the card that matters comes into view.
        const QWidget* line = page_->findChild<QWidget*>(
            "step_" + workspace_.selection.first().device + "_" + workspace_.selection.first().step);
        const int top = (line ? line : chosen)->mapTo(page_, QPoint(0, 0)).y(),
                  low = top + (line ? 190 : std::min(chosen->height(), viewport()->height()));
        QScrollBar* bar = verticalScrollBar();
        if (low > bar->value() + viewport()->height()) bar->setValue(low - viewport()->height());
        if (top < bar->value()) bar->setValue(top - 4);
    });
}

/// What sensors, stops and diverts tell at the cursor.
void Worksheet::tell_status() {
    const auto e = workspace_.results.shown();
    if (!e) return;
    for (const auto& [id, label] : live_) {
        const int device = e->cell->device(id);
        if (device < 0 || !label) continue;
        const std::string words =
            inspection::status(*e->cell, *e->run, device, simulation::ticks(workspace_.playhead.time()));
        if (words.empty()) continue;
        label->setText(QString::fromStdString(words));
    }
}

/// Everything that a card shows.
std::string Worksheet::card_key(const cell::Device& d, const cell::json& values) const {
    const bool selected = workspace_.selection.first().device.toStdString() == d.id;
    std::string key = values.dump() +
                      (selected ? "*" + workspace_.selection.first().step.toStdString() : std::string()) +
                      (workspace_.selection.has(d.id) ? "+" : "");
    if (d.host >= 0) key += workspace_.open.cell()->devices[d.host].name;
    for (const cell::Step* s : cell::all_steps(d)) key += cell::describe(*workspace_.open.cell(), *s);
    const std::string path = cell::at_device(d.id);
    for (auto it = workspace_.open.altered().lower_bound(path);
         it != workspace_.open.altered().end() && it->first.compare(0, path.size(), path) == 0; ++it)
        key += it->first + it->second.dump();
    if (selected) {
        QStringList open(open_.begin(), open_.end());
        open.sort();
        key += "\n" + open.join(QChar(' ')).toStdString();
    }
    if (selected)  // its lists offer what there is
        for (const cell::Device& o : workspace_.open.cell()->devices) key += o.name + (o.host >= 0 ? "." : "");
    if (selected)
        for (const auto& t : workspace_.open.cell()->part_types) key += t.name;
    return key;
}

/// The name as a line: a name that is taken is refused while it is typed, with one that is free.
void Worksheet::add_name(QHBoxLayout* header, const cell::Device& d) {
    const QString id = QString::fromStdString(d.id);
    auto* name = new QLineEdit(QString::fromStdString(d.name));
    name->setObjectName("name_" + id);
    name->setAccessibleName(tr("Name of the device"));
    name->setFont(theme::font(12, true));
    const auto taken = [this, id](const QString& wanted) {
        for (const cell::Device& other : workspace_.open.cell()->devices)
            if (QString::fromStdString(other.name) == wanted && QString::fromStdString(other.id) != id) return true;
        return false;
    };
    const auto refuse = [this, name, taken] {
        const QString wanted = name->text().trimmed();
        const bool wrong = wanted.isEmpty() || taken(wanted);
        name->setProperty("wrong", wrong);
        name->style()->polish(name);
        const QString why = wanted.isEmpty()
                                ? tr("A name is expected.")
                                : tr("Another device is named \"%1\". \"%2\" is free.")
                                      .arg(wanted, QString::fromStdString(cell::free_name(workspace_.open.resolved(),
                                                       wanted.toStdString(), workspace_.open.document().tree())));
        name->setToolTip(wrong ? plain(why) : QString());
        if (wrong) QToolTip::showText(name->mapToGlobal(QPoint(0, name->height())), plain(why), name);
        return wrong;
    };
    connect(name, &QLineEdit::textEdited, this, [refuse] { refuse(); });
    connect(name, &QLineEdit::editingFinished, this, [this, name, id, taken, before = QString::fromStdString(d.name)] {
        if (!name->isModified()) return;
        name->setModified(false);
        const QString wanted = name->text().trimmed();
        if (!wanted.isEmpty() && taken(wanted))
            Q_EMIT workspace_.open.refused(tr("The name is taken"),
                tr("Another device is named \"%1\". \"%2\" is free.")
                    .arg(wanted, QString::fromStdString(cell::free_name(workspace_.open.resolved(),
                                     wanted.toStdString(), workspace_.open.document().tree()))));
        if (wanted.isEmpty() || taken(wanted)) {
            name->setText(before);
            name->setProperty("wrong", false);
            name->style()->polish(name);
            return;
        }
        QTimer::singleShot(0, this, [this, id, wanted] {
            set_value(cell::at_device(id.toStdString()) / "name", wanted.toStdString(), tr("Rename %1").arg(wanted));
        });
    });
    header->addWidget(name, 1);
}

QWidget* Worksheet::card(const cell::Device& d, const cell::json& values) {
    const QString id = QString::fromStdString(d.id);
    const bool selected = workspace_.selection.first().device == id;
    auto* made = new Card(workspace_, id, page_);
    auto* layout = new QVBoxLayout(made);
    layout->setContentsMargins(2, 3, 2, 3);
    layout->setSpacing(0);
    auto* header = new QHBoxLayout;
    header->setContentsMargins(8, 1, 6, 1);
    header->setSpacing(5);
    if (selected && workspace_.selection.first().step.isEmpty()) {
        add_name(header, d);
    } else {
        auto* name = plain_label(QString::fromStdString(d.name));
        name->setFont(theme::font(12, true));
        name->setAttribute(Qt::WA_TransparentForMouseEvents);
        header->addWidget(name, 1);
    }
    const QString summary = QString::fromStdString(d.kind->summary(*workspace_.open.cell(), d));
    // What there is room for beside the name; all of it in the tool tip of the card.
    const int room = 196 - QFontMetrics(theme::font(12, true)).horizontalAdvance(QString::fromStdString(d.name));
    const QString fits = QFontMetrics(theme::font(10)).elidedText(summary, Qt::ElideRight, std::max(60, room));
    if (fits != summary) made->setToolTip(plain(summary));
    auto* info = plain_label(fits);
    info->setStyleSheet("color: #5C6870; font-size: 10px;");
    info->setAttribute(Qt::WA_TransparentForMouseEvents);
    info->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    if (d.kind->lane() == cell::DeviceKind::Lane::level) live_[d.id] = info;
    header->addWidget(info);
    layout->addLayout(header);
    if (selected && workspace_.selection.first().step.isEmpty()) add_fields(layout, d, values);
    add_steps(layout, made, d);
    return made;
}

/// What comes once before the task, the task, and the tasks beside it.
void Worksheet::add_steps(QVBoxLayout* layout, QWidget* card, const cell::Device& d) {
    const bool selected = workspace_.selection.first().device.toStdString() == d.id;
    const auto lines = [&](const std::vector<cell::Step>& steps) {
        for (const cell::Step* s : cell::all_steps(steps)) {
            layout->addWidget(new StepLine(workspace_.open, workspace_.results, workspace_.selection, d, *s, card));
            if (workspace_.open.altered().count("/" + s->path))
                card->setToolTip(tr("This variant has another step here than the baseline"));
            if (selected && workspace_.selection.first().step.toStdString() == s->id)
                add_step_fields(layout, d, *s, workspace_.open.resolved());
        }
    };
    const auto heading = [&](const QString& text) {
        auto* label = plain_label(text);
        label->setStyleSheet("color: #5C6870; font-size: 10px; padding: 2px 10px 0 10px;");
        layout->addWidget(label);
    };
    const cell::Path at = cell::at_device(d.id);
    if (!d.task.first.empty()) {
        heading(tr("once, before the task"));
        lines(d.task.first);
        if (selected) add_step_menu(layout, d, tr("+ step before the task"), at / "first");
        heading(tr("then, over and over"));
    }
    lines(d.task.steps);
    if (selected && (d.arm || d.has_task() || open_.contains("signals"))) add_step_menu(layout, d, tr("+ step"), {});
    if (selected && open_.contains("signals") && d.task.first.empty())
        add_step_menu(layout, d, tr("+ step once before the task"), at / "first");
    for (const cell::Task& side : d.side_tasks) {
        add_side_task_head(layout, d, side);
        if (!side.first.empty()) lines(side.first);
        lines(side.steps);
        if (selected) add_step_menu(layout, d, tr("+ step"), at / "side_tasks" / side.id / "steps");
    }
}

/// Its name, when it begins, and a way to be rid of it.
void Worksheet::add_side_task_head(QVBoxLayout* layout, const cell::Device& d, const cell::Task& side) {
    auto* row = new QHBoxLayout;
    row->setContentsMargins(10, 3, 6, 0);
    const QString name = QString::fromStdString(side.name);
    auto* label = plain_label(side.when_asked ? tr("%1 (when asked)").arg(name) : tr("%1 (beside it)").arg(name));
    label->setStyleSheet("color: #5C6870; font-size: 10px;");
    row->addWidget(label, 1);
    if (workspace_.selection.first().device.toStdString() == d.id) {
        const cell::Path at = cell::at_device(d.id) / "side_tasks" / side.id;
        const QString stem = QString::fromStdString("side_" + d.id + "_" + side.id);
        auto* when = new QPushButton(side.when_asked ? tr("start it at once") : tr("start it when asked"));
        when->setObjectName(stem + "_starts");
        when->setProperty("link", true);
        connect(when, &QPushButton::clicked, this, [this, at, asked = side.when_asked] {
            QTimer::singleShot(
                0, this, [=, this] { set_value(at / "starts", asked ? "at once" : "when asked", tr("Start a task")); });
        });
        row->addWidget(when);
        auto* gone = new QPushButton(tr("remove"));
        gone->setObjectName(stem + "_remove");
        gone->setProperty("link", true);
        connect(gone, &QPushButton::clicked, this, [this, at] {
            QTimer::singleShot(0, this, [=, this] {
                workspace_.open.apply({tr("Remove side task").toStdString(), {cell::Operation::remove(at)}});
            });
        });
        row->addWidget(gone);
    }
    layout->addLayout(row);
}

void Worksheet::unfold(const QString& group, bool open) {
    if (open == open_.contains(group)) return;
    if (open) open_.insert(group);
    else open_.remove(group);
    rebuild();
}

QVBoxLayout* Worksheet::group(QVBoxLayout* layout, const QString& name, const QString& title, const QString& about) {
    const bool open = open_.contains(name);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(14, 1, 6, 0);
    auto* fold = new QPushButton((open ? QStringLiteral("\u25be ") : QStringLiteral("\u25b8 ")) + title);
    fold->setObjectName("fold_" + name);
    fold->setProperty("link", true);
    fold->setAccessibleName(open ? tr("Fold %1").arg(title) : tr("Unfold %1").arg(title));
    connect(fold, &QPushButton::clicked, this,
        [this, name, open] { QTimer::singleShot(0, this, [=, this] { unfold(name, !open); }); });
    row->addWidget(fold);
    if (!open) {
        auto* note = plain_label(about);
        note->setStyleSheet("color: #5C6870; font-size: 10px;");
        note->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
        note->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        row->addWidget(note, 1);
    } else {
        row->addStretch(1);
    }
    layout->addLayout(row);
    if (!open) return nullptr;
    auto* inside = new QVBoxLayout;
    inside->setContentsMargins(0, 0, 0, 0);
    inside->setSpacing(0);
    layout->addLayout(inside);
    return inside;
}

/// What an input takes; its name, type and unit as well where it is not the kind's.
void Worksheet::add_input_fields(
    FieldGrid& grid, const cell::Device& d, const cell::Signal& s, const cell::json& values) {
    const QString stem = QString::fromStdString("input_" + d.id + "_" + s.name);
    auto* line = new ConditionField(
        workspace_.open, d.id, false, s.on_off(), s.source ? QString::fromStdString(s.source->text()) : QString());
    line->setObjectName(stem);
    if (!s.source)
        line->setPlaceholderText(tr("nothing: %1").arg(QString::fromStdString(cell::value_text(s, s.start))));
    connect(line, &ConditionField::entered, this, [this, device = d.id, name = s.name](const QString& text) {
        QTimer::singleShot(0, this, [=, this] {
            workspace_.open.apply(cell::connect_input(workspace_.open.layout(), device, name, text.toStdString()));
        });
    });
    mark_altered(workspace_.open, this, line, grid.add(tr("%1 takes").arg(QString::fromStdString(s.name)), line),
        cell::at_device(d.id) / "inputs" / s.name / "from");
    if (!s.own) return;
    auto* name = new QLineEdit(QString::fromStdString(s.name));
    name->setObjectName(stem + "_name");
    name->setToolTip(tr("Its name; emptied, the input goes"));
    connect(name, &QLineEdit::editingFinished, this, [this, name, device = d.id, now = s.name] {
        if (!name->isModified()) return;
        name->setModified(false);
        const std::string to = name->text().trimmed().toStdString();
        if (to == now) return;
        QTimer::singleShot(0, this, [=, this] {
            try {
                workspace_.open.apply(to.empty() ? cell::remove_signal(workspace_.open.layout(), device, now)
                                                 : cell::rename_signal(workspace_.open.layout(), device, now, to));
            } catch (const cell::InputError& e) {
                Q_EMIT workspace_.open.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
            }
        });
    });
    grid.add(tr("its name"), name);
    const cell::Path at = cell::at_device(d.id) / "inputs" / s.name;
    const cell::json* own = cell::find(values, "/inputs/" + s.name);
    const EditedGroup edited{
        at, own ? *own : cell::json::object(), stem + "_", tr("Change %1").arg(QString::fromStdString(d.name)), &d};
    FieldEditors editors(workspace_.open, workspace_.results, grid, this, edited);
    for (const char* key : {"type", "unit"}) editors.add(*cell::find_field(cell::input_fields(), key));
}

/// What the device tells and what it is told; tasks beside its main one.
void Worksheet::add_signal_fields(QVBoxLayout* layout, const cell::Device& d, const cell::json& values) {
    FieldGrid grid = new_field_grid(layout);
    const EditedGroup edited{cell::at_device(d.id), values, QString::fromStdString("field_" + d.id + "_"),
        tr("Change %1").arg(QString::fromStdString(d.name)), &d};
    FieldEditors editors(workspace_.open, workspace_.results, grid, this, edited);
    for (const char* key : {"own_signals", "starts_on", "own_numbers"})
        editors.add(*cell::find_field(cell::device_fields(), key));
    for (const cell::Signal& s : d.signals)
        if (s.input()) add_input_fields(grid, d, s, values);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(14, 0, 4, 2);
    auto* input = new QPushButton(tr("+ input"));
    input->setObjectName(QString::fromStdString("add_input_" + d.id));
    input->setProperty("link", true);
    connect(input, &QPushButton::clicked, this, [this, device = d.id, signals = d.signals] {
        std::string name;
        const auto taken = [&](const cell::Signal& s) { return s.name == name; };
        for (int n = 1; name.empty() || std::any_of(signals.begin(), signals.end(), taken); ++n)
            name = "in" + std::to_string(n);
        QTimer::singleShot(
            0, this, [=, this] { workspace_.open.apply(cell::add_input(workspace_.open.layout(), device, name)); });
    });
    row->addWidget(input);
    auto* side = new QPushButton(tr("+ side task"));
    side->setObjectName(QString::fromStdString("add_side_" + d.id));
    side->setProperty("link", true);
    connect(side, &QPushButton::clicked, this, [this, device = d.id] {
        QTimer::singleShot(0, this,
            [=, this] { workspace_.open.apply(cell::add_side_task(workspace_.open.layout(), device, "", nullptr)); });
    });
    row->addWidget(side);
    row->addStretch(1);
    layout->addLayout(row);
}

void Worksheet::add_fields(QVBoxLayout* layout, const cell::Device& d, const cell::json& values) {
    if (!d.arm) {
        add_place_fields(layout, d, values);
    } else {
        const QString on =
            d.host >= 0 ? QString::fromStdString(workspace_.open.cell()->devices[d.host].name) : tr("the floor");
        if (QVBoxLayout* inside = group(layout, "place", tr("Placing"), tr("on %1").arg(on)))
            add_place_fields(inside, d, values);
        const QString tool = d.arm->tool ? QString::fromStdString(d.arm->tool->name) : tr("no tool");
        if (QVBoxLayout* inside = group(layout, "arm", tr("Arm and tools"), tool))
            add_arm_and_tools(workspace_.open, workspace_.results, inside, d, values, this);
        const QString moves = tr("%1 % speed").arg(100 * d.arm->speed, 0, 'f', 0);
        if (QVBoxLayout* inside = group(layout, "moves", tr("How it moves"), moves))
            add_how_it_moves(workspace_.open, workspace_.results, inside, d, values, this);
    }
    add_folded_fields(layout, d, values);
    const std::size_t inputs = static_cast<std::size_t>(
        std::count_if(d.signals.begin(), d.signals.end(), [](const cell::Signal& s) { return s.input(); }));
    const QString about = tr("%1 out \u00b7 %2 in").arg(d.signals.size() - inputs).arg(inputs);
    if (QVBoxLayout* inside = group(layout, "signals", tr("Signals and tasks"), about))
        add_signal_fields(inside, d, values);
}

/// What its kind folds away: one line says how many of them are set otherwise than usual.
void Worksheet::add_folded_fields(QVBoxLayout* layout, const cell::Device& d, const cell::json& values) {
    QStringList folds;
    for (const cell::Field& f : d.kind->fields())
        if (const QString fold = QString::fromStdString(f.fold); !fold.isEmpty() && !folds.contains(fold))
            folds << fold;
    for (const QString& fold : folds) {
        cell::Fields inner;
        int said = 0;
        for (const cell::Field& f : d.kind->fields())
            if (QString::fromStdString(f.fold) == fold) {
                inner.push_back(f);
                said += values.contains(f.key) && values[f.key] != f.usual;
            }
        const QString about = said == 0 ? tr("as usual") : tr("%1 set").arg(said);
        QVBoxLayout* inside = group(
            layout, QString::fromStdString(d.kind->id()) + "_" + QString::number(folds.indexOf(fold)), fold, about);
        if (!inside) continue;
        FieldGrid grid = new_field_grid(inside);
        FieldEditors editors(workspace_.open, workspace_.results, grid, this, edited(d, values, tr("Change %1")));
        editors.add(inner);
    }
}

void Worksheet::add_place_fields(QVBoxLayout* layout, const cell::Device& d, const cell::json& values) {
    FieldGrid grid = new_field_grid(layout);
    const cell::Path at = cell::at_device(d.id);
    FieldEditors editors(workspace_.open, workspace_.results, grid, this, edited(d, values, tr("Change %1")));
    for (const char* key : {"colour", "safety_distance_mm", "price", "power_W"})
        editors.add(*cell::find_field(cell::device_fields(), key));
    std::vector<std::pair<QString, std::string>> hosts{{tr("the floor"), "floor"}};
    const int self = workspace_.open.cell()->device(d.id);
    for (const cell::Device& o : workspace_.open.cell()->devices)
        if (o.id != d.id && !o.arm && !workspace_.open.cell()->stands_on(workspace_.open.cell()->device(o.id), self))
            hosts.emplace_back(QString::fromStdString(o.name), o.id);
    auto* host = new QComboBox;
    host->setObjectName(QString::fromStdString("field_" + d.id + "_host"));
    for (const auto& [text, id] : hosts) host->addItem(text, QString::fromStdString(id));
    host->setCurrentIndex(host->findData(QString::fromStdString(values.value("host", "floor"))));
    connect(
        host, &QComboBox::activated, this, [this, host, id = d.id] {  // it stays where it is; its numbers are converted
            const std::string chosen = host->currentData().toString().toStdString();
            QTimer::singleShot(0, this, [this, chosen, id] {
                const cell::Cell& c = *workspace_.open.cell();
                const int device = c.device(id);
                if (device >= 0)
                    workspace_.open.apply(
                        {tr("Put %1 on another host").arg(QString::fromStdString(c.devices[device].name)).toStdString(),
                            cell::place_at(c, device, c.devices[device].world, c.device(chosen))});
            });
        });
    mark_altered(workspace_.open, this, host, grid.add(tr("stands on"), host), at / "host");
    if (d.arm) return;
    for (const cell::Field& f : d.kind->fields())
        if (f.fold.empty()) editors.add(f);
}

}  // namespace escarp::desktop
