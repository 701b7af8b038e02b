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

#include <cell/arrange.h>
#include <cell/names.h>
#include <cell/tables.h>

#include "altered_mark.h"
#include "arm_fields.h"
#include "field_editors.h"
#include "layouts.h"
#include "plain_text.h"
#include "step_line.h"
#include "theme.h"
#include "typed_number.h"

namespace escarp::desktop {
namespace {

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
        const bool selected = workspace_.selection().device == id_;
        p.setPen(QPen(selected ? theme::accent : theme::rule, selected ? 1.6 : 1));
        p.setBrush(selected ? QColor(Qt::white) : QColor(0xF7, 0xF3, 0xEA));
        p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 3, 3);
    }
    void mousePressEvent(QMouseEvent*) override { workspace_.select(id_); }

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
    connect(&workspace_, &Workspace::document_changed, this, [this] {
        if (!workspace_.trying()) rebuild();
    });
    connect(&workspace_, &Workspace::selection_changed, this, [this] { rebuild(); });
    connect(&workspace_, &Workspace::evaluated, this, &Worksheet::refresh);
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
    workspace_.apply({name.toStdString(), {cell::Operation::set(path, value)}});
}

void Worksheet::rebuild() {
    if (building_) return;
    building_ = true;
    const int scrolled = verticalScrollBar()->value();
    const QString focused = focusWidget() ? focusWidget()->objectName() : QString();
    const cell::json& values = workspace_.resolved();
    if (cards_->count() == 0) {
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
    QWidget* chosen = nullptr;
    std::map<std::string, Made> kept;
    std::map<std::string, const cell::json*> by_id;
    if (values.contains("devices"))
        for (const cell::json& own : values["devices"])
            if (own.is_object()) by_id[own.value("id", "")] = &own;
    int at = 1;
    for (const cell::Device& d : workspace_.cell()->devices) {
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
        if (QString::fromStdString(d.id) == workspace_.selection().device) chosen = shown;
    }
    for (const auto& [id, gone] : made_) {  // one of their own controls may be the caller: they go later
        gone.card->hide();
        cards_->removeWidget(gone.card);
        gone.card->deleteLater();
    }
    made_ = std::move(kept);
    building_ = false;
    if (!focused.isEmpty())
        if (QWidget* again = page_->findChild<QWidget*>(focused)) again->setFocus();
    QTimer::singleShot(0, this, [this, scrolled, chosen, guard = QPointer<QWidget>(chosen)] {
        verticalScrollBar()->setValue(scrolled);
        if (!guard) return;
        // Only up and down: the part of the card that matters comes into view.
        const QWidget* line =
            page_->findChild<QWidget*>("step_" + workspace_.selection().device + "_" + workspace_.selection().step);
        const int top = (line ? line : chosen)->mapTo(page_, QPoint(0, 0)).y(),
                  low = top + (line ? 190 : std::min(chosen->height(), viewport()->height()));
        QScrollBar* bar = verticalScrollBar();
        if (low > bar->value() + viewport()->height()) bar->setValue(low - viewport()->height());
        if (top < bar->value()) bar->setValue(top - 4);
    });
}

/// Everything that a card shows.
std::string Worksheet::card_key(const cell::Device& d, const cell::json& values) const {
    const bool selected = workspace_.selection().device.toStdString() == d.id;
    std::string key = values.dump() + (selected ? "*" + workspace_.selection().step.toStdString() : std::string()) +
                      (workspace_.is_selected(d.id) ? "+" : "");
    if (d.host >= 0) key += workspace_.cell()->devices[d.host].name;
    for (const cell::Step* s : cell::all_steps(d)) key += cell::describe(*workspace_.cell(), *s);
    const std::string path = "/devices/" + d.id;
    for (auto it = workspace_.altered().lower_bound(path);
         it != workspace_.altered().end() && it->first.compare(0, path.size(), path) == 0; ++it)
        key += it->first + it->second.dump();
    if (selected)  // its lists offer what there is
        for (const cell::Device& o : workspace_.cell()->devices) key += o.name + (o.host >= 0 ? "." : "");
    if (selected)
        for (const auto& t : workspace_.cell()->part_types) key += t.name;
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
        for (const cell::Device& other : workspace_.cell()->devices)
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
                                      .arg(wanted, QString::fromStdString(cell::free_name(workspace_.resolved(),
                                                       wanted.toStdString(), workspace_.document().tree())));
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
            Q_EMIT workspace_.refused(
                tr("The name is taken"), tr("Another device is named \"%1\". \"%2\" is free.")
                                             .arg(wanted, QString::fromStdString(cell::free_name(workspace_.resolved(),
                                                              wanted.toStdString(), workspace_.document().tree()))));
        if (wanted.isEmpty() || taken(wanted)) {
            name->setText(before);
            name->setProperty("wrong", false);
            name->style()->polish(name);
            return;
        }
        QTimer::singleShot(0, this, [this, id, wanted] {
            set_value("/devices/" + id.toStdString() + "/name", wanted.toStdString(), tr("Rename %1").arg(wanted));
        });
    });
    header->addWidget(name, 1);
}

QWidget* Worksheet::card(const cell::Device& d, const cell::json& values) {
    const QString id = QString::fromStdString(d.id);
    const bool selected = workspace_.selection().device == id;
    auto* made = new Card(workspace_, id, page_);
    auto* layout = new QVBoxLayout(made);
    layout->setContentsMargins(2, 3, 2, 3);
    layout->setSpacing(0);
    auto* header = new QHBoxLayout;
    header->setContentsMargins(8, 1, 6, 1);
    if (selected && workspace_.selection().step.isEmpty()) {
        add_name(header, d);
    } else {
        auto* name = plain_label(QString::fromStdString(d.name));
        name->setFont(theme::font(12, true));
        name->setAttribute(Qt::WA_TransparentForMouseEvents);
        header->addWidget(name, 1);
    }
    auto* info = plain_label(QString::fromStdString(d.kind->summary(*workspace_.cell(), d)));
    info->setStyleSheet("color: #5C6870; font-size: 10px;");
    info->setAttribute(Qt::WA_TransparentForMouseEvents);
    header->addWidget(info);
    layout->addLayout(header);
    if (selected && workspace_.selection().step.isEmpty()) add_fields(layout, d, values);
    for (const cell::Step* s : cell::all_steps(d)) {
        layout->addWidget(new StepLine(workspace_, d, *s, made));
        if (workspace_.altered().count("/" + s->path))
            made->setToolTip(tr("This variant has another step here than the baseline"));
        if (selected && workspace_.selection().step.toStdString() == s->id)
            add_step_fields(layout, d, *s, workspace_.resolved());
    }
    if (selected && d.arm) add_step_menu(layout, d);
    return made;
}

void Worksheet::add_fields(QVBoxLayout* layout, const cell::Device& d, const cell::json& values) {
    FieldGrid grid = new_field_grid(layout);
    const std::string at = "/devices/" + d.id + "/";
    const QString title = tr("Change %1").arg(QString::fromStdString(d.name));
    const QString names = QString::fromStdString("field_" + d.id + "_");
    const EditedGroup group{"/devices/" + d.id, values, names, title, &d};
    FieldEditors editors(workspace_, grid, this, group);
    editors.add(*cell::find_field(cell::device_fields(), "colour"));
    std::vector<std::pair<QString, std::string>> hosts{{tr("the floor"), "floor"}};
    const int self = workspace_.cell()->device(d.id);
    for (const cell::Device& o : workspace_.cell()->devices)
        if (o.id != d.id && !o.arm && !workspace_.cell()->stands_on(workspace_.cell()->device(o.id), self))
            hosts.emplace_back(QString::fromStdString(o.name), o.id);
    auto* host = new QComboBox;
    host->setObjectName(QString::fromStdString("field_" + d.id + "_host"));
    for (const auto& [text, id] : hosts) host->addItem(text, QString::fromStdString(id));
    host->setCurrentIndex(host->findData(QString::fromStdString(values.value("host", "floor"))));
    connect(
        host, &QComboBox::activated, this, [this, host, id = d.id] {  // it stays where it is; its numbers are converted
            const std::string chosen = host->currentData().toString().toStdString();
            QTimer::singleShot(0, this, [this, chosen, id] {
                const cell::Cell& c = *workspace_.cell();
                const int device = c.device(id);
                if (device >= 0)
                    workspace_.apply(
                        {tr("Put %1 on another host").arg(QString::fromStdString(c.devices[device].name)).toStdString(),
                            cell::place_at(c, device, c.devices[device].world, c.device(chosen))});
            });
        });
    mark_altered(workspace_, this, host, grid.add(tr("stands on"), host), at + "host");
    if (!d.arm) editors.add(d.kind->fields());
    if (d.arm) add_arm_fields(workspace_, layout, d, values, this);
}

}  // namespace escarp::desktop
