#include "study_sentence.h"

#include <QComboBox>
#include <QDragEnterEvent>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>
#include <cmath>

#include <cell/edits/study_edits.h>
#include <cell/model/device_kind.h>
#include <cell/model/tables.h>
#include <desktop/fields/number_field.h>
#include <desktop/fields/path_drag.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <study/measures.h>

namespace escarp::desktop {

using cell::json;
using Asks = cell::Study::Asks;

void edit_studies(OpenCell& open, const QString& title, const cell::Operations& operations) {
    try {
        open.replace(open.document().edited(open.document().baseline(), {title.toStdString(), operations}), title);
    } catch (const cell::InputError& e) {
        Q_EMIT open.refused(QObject::tr("Not changed"), QString::fromStdString(e.problems().front().message));
    }
}

StudySentence::StudySentence(OpenCell& open, QWidget* parent)
    : QWidget(parent), open_(open), flow_(new FlowLayout(this, 6, 6)) {
    setObjectName("study_sentence");
    setAcceptDrops(true);
    setAttribute(Qt::WA_StyledBackground);
    setStyleSheet("#study_sentence { background: #FCFAF5; border: 1px solid #D8D2C4; border-radius: 4px; }");
    flow_->setContentsMargins(12, 10, 12, 10);
    QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Minimum);
    policy.setHeightForWidth(true);
    setSizePolicy(policy);
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (!open_.trying()) rebuild();
    });
}

const cell::Study* StudySentence::study() const {
    for (const cell::Study& s : open_.cell()->studies)
        if (QString::fromStdString(s.id) == study_) return &s;
    return nullptr;
}

void StudySentence::show(const QString& study) {
    study_ = study;
    shown_.clear();
    rebuild();
}

void StudySentence::put(QWidget* widget, const QString& name) {
    widget->setObjectName(name);
    flow_->addWidget(widget);
}

void StudySentence::words(const QString& text) {
    auto* label = plain_label(text);
    label->setStyleSheet("font-size: 13px; color: #1F2A33;");
    if (text.size() > 60) label->setWordWrap(true), label->setFixedWidth(620);
    flow_->addWidget(label);
}

void StudySentence::set(const std::string& key, const json& value) {
    const cell::Path at = cell::Path("studies") / study_.toStdString() / key;
    QTimer::singleShot(
        0, this, [this, at, value] { edit_studies(open_, tr("Change a study"), {cell::Operation::set(at, value)}); });
}

void StudySentence::blank(
    const QString& name, const std::string& key, double value, double low, double high, int wide, bool whole) {
    auto* field = new NumberField("", low, high);
    field->set_value(value);
    field->setFixedWidth(wide);
    field->setFixedHeight(22);
    connect(field, &NumberField::changed, this,
        [this, key, whole](double v) { set(key, whole ? json(static_cast<std::int64_t>(std::llround(v))) : json(v)); });
    put(field, name);
}

void StudySentence::choice(
    const QString& name, const std::string& key, const std::vector<std::pair<QString, json>>& all, const json& now) {
    auto* box = new QComboBox;
    for (const auto& [text, value] : all) box->addItem(text);
    const auto at = std::find_if(all.begin(), all.end(), [&](const auto& one) { return one.second == now; });
    box->setCurrentIndex(at == all.end() ? -1 : static_cast<int>(at - all.begin()));
    box->setFixedHeight(22);
    connect(box, &QComboBox::activated, this, [this, key, all](int index) { set(key, all[index].second); });
    put(box, name);
}

void StudySentence::away(const QString& name, const QString& hint, std::function<void()> act) {
    auto* button = new QToolButton;
    button->setText(QStringLiteral("\u00d7"));
    button->setToolTip(hint);
    button->setAccessibleName(hint);
    button->setStyleSheet("QToolButton { border: none; background: transparent; color: #A8124F; padding: 0 2px; }");
    connect(button, &QToolButton::clicked, this, [this, act = std::move(act)] { QTimer::singleShot(0, this, act); });
    put(button, name);
}

void StudySentence::link(const QString& text, const QString& name, std::function<void()> act) {
    auto* button = new QPushButton(text);
    button->setProperty("link", true);
    connect(button, &QPushButton::clicked, this, [this, act = std::move(act)] { QTimer::singleShot(0, this, act); });
    put(button, name);
}

std::vector<std::pair<QString, json>> StudySentence::figures() const {
    std::vector<std::pair<QString, json>> out;
    for (const study::Measure& m : study::measures()) out.emplace_back(QString::fromStdString(m.label), m.id);
    return out;
}

namespace {

/// The list of a study as the document has it, to be changed and set as a whole.
json list_of(const OpenCell& open, const QString& study, const char* key) {
    const json* found = cell::find(open.resolved(), cell::Path("studies") / study.toStdString() / key);
    return found ? *found : json::array();
}

}  // namespace

void StudySentence::add_varied(std::size_t i, const cell::Varied& v) {
    const QString n = QString::number(i);
    const std::string at = "vary/" + std::to_string(i) + "/";
    words(i == 0 ? (study()->asks == Asks::search ? tr("Search over") : tr("Vary")) : tr("and"));
    const cell::PathMeaning meaning = cell::meaning_of_path(open_.resolved(), v.at, open_.layout().kinds());
    auto* what = plain_label(QString::fromStdString(meaning.words));
    what->setToolTip(plain(QString::fromStdString(v.at)));
    what->setStyleSheet("font-size: 13px; font-weight: bold; color: #B4521B;");
    put(what, "varied_" + n);
    const auto set_in = [this, i](const std::string& key, const json& value) {
        json all = list_of(open_, study_, "vary");
        all[i][key] = value;
        set("vary", all);
    };
    const QString unit = QString::fromStdString(cell::unit_sign(v.at.substr(v.at.rfind('/') + 1)));
    const auto bound = [&](const QString& name, const std::string& key, double value, double low, double high, int wide,
                           bool whole) {
        auto* field = new NumberField(key == "steps" ? QString() : unit, low, high);
        field->set_value(value);
        field->setFixedWidth(wide);
        field->setFixedHeight(22);
        connect(field, &NumberField::changed, this, [set_in, key, whole](double typed) {
            set_in(key, whole ? json(static_cast<std::int64_t>(std::llround(typed))) : json(typed));
        });
        put(field, name);
    };
    if (v.order) {
        words(tr("in every order"));
    } else if (!v.values.empty()) {
        QStringList all;
        for (const std::string& value : v.values) all << QString::fromStdString(value);
        words(tr("among %1").arg(all.join(", ").left(60)));
    } else {
        words(tr("from"));
        bound("from_" + n, "from", v.from, -1e9, 1e9, 74, false);
        words(tr("to"));
        bound("to_" + n, "to", v.to, -1e9, 1e9, 74, false);
        if (!unit.isEmpty()) words(unit);
        if (study()->asks == Asks::sweep && !study()->evenly) {
            words(tr("in"));
            bound("steps_" + n, "steps", v.steps, 2, 10000, 48, true);
            words(tr("steps"));
        }
    }
    away("drop_varied_" + n, tr("Leave it as it is"), [this, i] {
        json all = list_of(open_, study_, "vary");
        all.erase(i);
        set("vary", all);
    });
}

void StudySentence::add_looked_at(const cell::Study& s) {
    words(s.asks == Asks::search ? tr("for the best") : tr("look at"));
    const std::vector<std::string> ids = s.look_at.empty() ? std::vector<std::string>{"cycle_s"} : s.look_at;
    const auto set_ids = [this](const std::vector<std::string>& all) { set("look_at", all); };
    for (std::size_t i = 0; i < ids.size(); ++i) {
        auto* box = new QComboBox;
        const auto all = figures();
        for (const auto& [text, value] : all) box->addItem(text);
        const auto at = std::find_if(all.begin(), all.end(), [&](const auto& one) { return one.second == ids[i]; });
        box->setCurrentIndex(at == all.end() ? -1 : static_cast<int>(at - all.begin()));
        box->setFixedHeight(22);
        connect(box, &QComboBox::activated, this, [ids, i, all, set_ids](int index) {
            auto next = ids;
            next[i] = all[index].second.get<std::string>();
            set_ids(next);
        });
        put(box, "look_at_" + QString::number(i));
        if (ids.size() > 1)
            away("drop_look_at_" + QString::number(i), tr("Do not look at it"), [ids, i, set_ids] {
                auto next = ids;
                next.erase(next.begin() + static_cast<std::ptrdiff_t>(i));
                set_ids(next);
            });
    }
    link(tr("+ figure"), "add_look_at", [this, ids, set_ids] {
        auto next = ids;
        for (const study::Measure& m : study::measures())
            if (m.better != 0 && std::find(next.begin(), next.end(), m.id) == next.end() && m.id != "rate_per_h") {
                next.push_back(m.id);
                break;
            }
        set_ids(next);
    });
}

void StudySentence::add_kept(const cell::Study& s) {
    for (std::size_t i = 0; i < s.keep.size(); ++i) {
        const cell::Demand& d = s.keep[i];
        const QString n = QString::number(i);
        words(i == 0 ? tr("keep") : tr("and"));
        const auto set_in = [this, i](const std::function<void(json&)>& change) {
            json all = list_of(open_, study_, "keep");
            change(all[i]);
            set("keep", all);
        };
        auto* box = new QComboBox;
        const auto all = figures();
        for (const auto& [text, value] : all) box->addItem(text);
        const auto at = std::find_if(all.begin(), all.end(), [&](const auto& one) { return one.second == d.figure; });
        box->setCurrentIndex(at == all.end() ? -1 : static_cast<int>(at - all.begin()));
        box->setFixedHeight(22);
        connect(box, &QComboBox::activated, this,
            [all, set_in](int index) { set_in([&](json& one) { one["figure"] = all[index].second; }); });
        put(box, "keep_" + n);
        auto* way = new QComboBox;
        way->addItems({tr("at least"), tr("at most")});
        way->setCurrentIndex(d.least ? 0 : 1);
        way->setFixedHeight(22);
        connect(way, &QComboBox::activated, this, [set_in](int index) {
            set_in([&](json& one) {
                const json value = one.value("at_least", one.value("at_most", json(0)));
                one.erase("at_least"), one.erase("at_most");
                one[index == 0 ? "at_least" : "at_most"] = value;
            });
        });
        put(way, "keep_way_" + n);
        auto* field = new NumberField("", -1e9, 1e9);
        field->set_value(d.least ? *d.least : *d.most);
        field->setFixedWidth(60);
        field->setFixedHeight(22);
        connect(field, &NumberField::changed, this, [set_in, least = d.least.has_value()](double v) {
            set_in([&](json& one) { one[least ? "at_least" : "at_most"] = v; });
        });
        put(field, "keep_value_" + n);
        for (const study::Measure& m : study::measures())
            if (m.id == d.figure && !m.unit.empty()) words(QString::fromStdString(m.unit));
        away("drop_keep_" + n, tr("Do not demand it"), [this, i] {
            json all = list_of(open_, study_, "keep");
            all.erase(i);
            set("keep", all);
        });
    }
    link(tr("+ demand"), "add_keep", [this] {
        json all = list_of(open_, study_, "keep");
        all.push_back({{"figure", "reach_margin_mm"}, {"at_least", 25}});
        set("keep", all);
    });
}

void StudySentence::add_how_often(const cell::Study& s) {
    if (s.asks == Asks::search) {
        words(tr("in"));
        blank("tries", "tries", s.tries, 2, 1e6, 60, true);
        words(tr("tries from"));
        blank("starts", "starts", s.starts, 1, 1000, 40, true);
        words(tr("places"));
    }
    if (s.asks == Asks::sensitivity) {
        words(tr("by"));
        choice("method", "method", {{tr("single changes"), "screening"}, {tr("shares of the variance"), "shares"}},
            s.shares ? "shares" : "screening");
        words(tr(","));
        blank("number_of_points", "number_of_points", s.points, 1, 1e5, 60, true);
        words(tr("times each"));
    }
    if (s.asks == Asks::sweep) {
        choice("points", "points", {{tr("on a grid"), "grid"}, {tr("spread evenly"), "spread evenly"}},
            s.evenly ? "spread evenly" : "grid");
        if (s.evenly) {
            blank("number_of_points", "number_of_points", s.points, 1, 1e5, 60, true);
            words(tr("points"));
        }
    }
    words(s.asks == Asks::repetitions ? tr("Run it") : tr("run each"));
    blank("repetitions", "repetitions", s.repetitions, 1, 1e5, 52, true);
    words(s.repetitions == 1 ? tr("time") : tr("times at most"));
    if (s.repetitions == 1) return;
    words(tr("until \u00b1"));
    auto* field = new NumberField("", 0, 100);
    field->set_value(s.until ? 100 * *s.until : 0);
    field->setFixedWidth(52);
    field->setFixedHeight(22);
    field->setToolTip(tr("Half the interval of the first figure, of its mean; 0: all the repetitions"));
    connect(field, &NumberField::changed, this, [this](double v) {
        const cell::Path at = cell::Path("studies") / study_.toStdString() / "until_pct";
        QTimer::singleShot(0, this, [this, at, v] {
            edit_studies(
                open_, tr("Change a study"), {v > 0 ? cell::Operation::set(at, v) : cell::Operation::remove(at)});
        });
    });
    put(field, "until");
    words("%");
}

void StudySentence::rebuild() {
    const cell::Study* s = study();
    const json* raw = s ? cell::find(open_.resolved(), cell::Path("studies") / s->id) : nullptr;
    std::string now = raw ? raw->dump() : std::string("-");
    if (s)
        for (const cell::Varied& v : s->vary)
            now += cell::meaning_of_path(open_.resolved(), v.at, open_.layout().kinds()).words;
    if (now == shown_) return;
    shown_ = std::move(now);
    const QString focused = focusWidget() ? focusWidget()->objectName() : QString();
    clear(flow_);
    if (!s) {
        words(tr("Choose a study, or begin one: drag a number here by its name, or use \u201c+ study\u201d."));
    } else if (s->asks == Asks::gains) {
        words(
            tr("Which second is worth it? Every step, process, speed and belt is made 0.1 s shorter, and 10 % "
               "quicker, and the cell is run again."));
    } else if (s->asks == Asks::repetitions) {
        add_how_often(*s);
        words(tr("and"));
        add_looked_at(*s);
    } else {
        for (std::size_t i = 0; i < s->vary.size(); ++i) add_varied(i, s->vary[i]);
        link(s->vary.empty() ? tr("Choose a number to vary, or drag one here") : tr("+ number"), "add_varied",
            [this] { offer_numbers(findChild<QWidget*>("add_varied")); });
        add_looked_at(*s);
        add_kept(*s);
        add_how_often(*s);
    }
    updateGeometry();
    if (auto* again = focused.isEmpty() ? nullptr : findChild<QWidget*>(focused)) again->setFocus();
}

void StudySentence::vary(const QString& path) {
    if (!study()) return;
    try {
        const cell::Edit edit = cell::vary(open_.layout(), study_.toStdString(), path.toStdString());
        if (!edit.operations.empty()) set("vary", edit.operations.front().value);
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("Not varied"), QString::fromStdString(e.problems().front().message));
    }
}

/// Every number of every device, by device.
void StudySentence::offer_numbers(QWidget* below) {
    auto* menu = new QMenu(this);
    menu->setObjectName("numbers_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](QMenu* to, const cell::Field& f, const cell::Path& at) {
        if (f.type != cell::Field::Type::number && f.type != cell::Field::Type::whole) return;
        to->addAction(menu_text(QString::fromStdString(f.label)), this,
            [this, path = QString::fromStdString(at / f.key)] { vary(path); });
    };
    for (const cell::Device& d : open_.cell()->devices) {
        QMenu* of = menu->addMenu(menu_text(QString::fromStdString(d.name)));
        const cell::Path at = cell::at_device(d.id);
        for (const cell::Field& f : cell::placement_fields()) add(of, f, at / "placement");
        of->addSeparator();
        for (const cell::Field& f : d.kind->fields()) add(of, f, at);
        if (d.arm)
            for (const cell::Field& f : cell::arm_device_fields()) add(of, f, at);
    }
    menu->popup(below->mapToGlobal(QPoint(0, below->height())));
}

void StudySentence::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasFormat(path_format)) event->acceptProposedAction();
}

void StudySentence::dropEvent(QDropEvent* event) {
    if (!event->mimeData()->hasFormat(path_format)) return;
    event->acceptProposedAction();
    const QString path = QString::fromUtf8(event->mimeData()->data(path_format));
    QTimer::singleShot(0, this, [this, path] { Q_EMIT open_.wants_to_vary(path); });
}

}  // namespace escarp::desktop
