#include "arm_fields.h"

#include <QCheckBox>
#include <QComboBox>
#include <QTimer>

#include <cell/edits/mount.h>
#include <cell/model/tables.h>

#include "altered_mark.h"
#include "field_editors.h"
#include "number_field.h"

namespace escarp::desktop {
namespace {

class ArmFields {
public:
    ArmFields(OpenCell& open, const Results& results, QVBoxLayout* into, const cell::Device& arm,
        const cell::json& values, QObject* context)
        : open_(open),
          results_(results),
          grid_(new_field_grid(into)),
          arm_(arm),
          values_(values),
          id_(arm.id),
          at_(cell::at_device(arm.id)),
          title_(QObject::tr("Change %1").arg(QString::fromStdString(arm.name))),
          context_(context) {}

    void add_arm_and_tools() {
        from_table({"model"});
        tool(QObject::tr("tool"), 0, values_.value("tool", ""));
        const cell::json more = values_.value("more_tools", cell::json::array());
        for (std::size_t i = 0; i < more.size(); ++i) add_more(more, i);
        if (!values_.value("tool", "").empty())
            tool(more.empty() ? QObject::tr("second tool") : QObject::tr("one more tool"), more.size() + 1, "");
    }
    void add_how_it_moves() {
        from_table({"speed_pct", "acceleration_pct", "detours", "gentle_carry"});
        add_travel();
    }

private:
    QString name(const std::string& key) const { return QString::fromStdString("field_" + id_ + "_" + key); }
    void later(std::function<void()> act) { QTimer::singleShot(0, context_, std::move(act)); }
    void set(const std::string& path, const cell::json& value) {
        open_.apply({title_.toStdString(), {cell::Operation::set(path, value)}});
    }
    void apply(const std::function<cell::Edit(const cell::Layout&)>& edit) {
        try {
            open_.apply(edit(open_.layout()));
        } catch (const cell::InputError& e) {
            Q_EMIT open_.refused(title_, QString::fromStdString(e.problems().front().message));
        }
    }

    void choice(const QString& label, const std::string& key,
        const std::vector<std::pair<QString, std::string>>& choices, const std::string& now,
        std::function<void(const std::string&)> act) {
        auto* box = new QComboBox;
        box->setObjectName(name(key));
        for (const auto& [text, id] : choices) {
            box->addItem(text, QString::fromStdString(id));
            if (id == now) box->setCurrentIndex(box->count() - 1);
        }
        QObject::connect(box, &QComboBox::activated, context_, [self = *this, box, act, now]() mutable {
            const std::string to = box->currentData().toString().toStdString();
            if (to != now) self.later([act, to] { act(to); });
        });
        mark_altered(open_, context_, box, grid_.add(label, box), at_ / key);
    }

    void tool(const QString& label, std::size_t place, const std::string& now) {
        std::vector<std::pair<QString, std::string>> tools{{QObject::tr("none"), ""}};
        for (const auto& [id, text] : cell::tools_to_mount(open_.resolved()))
            tools.emplace_back(QString::fromStdString(text), id);
        choice(label, place == 0 ? "tool" : "more_tools_" + std::to_string(place), tools, now,
            [self = *this, place](const std::string& to) mutable {
                self.apply([&](const cell::Layout& l) { return cell::mount_tool(l, self.id_, place, to); });
            });
    }

    /// A further tool stands on the flange where its frame says.
    void add_more(const cell::json& more, std::size_t i) {
        tool(QObject::tr("tool %1").arg(i + 2), i + 1, more[i].value("tool", ""));
        static const char* letters[] = {"X", "Y", "Z"};
        for (const auto& [key, unit] :
            {std::pair{"at_mm", QStringLiteral("mm")}, {"turn_deg", QStringLiteral("\u00b0")}})
            for (std::size_t k = 0; k < 3; ++k) {
                const cell::json now = more[i].value(key, cell::json({0, 0, 0}));
                const QString label = (unit == "mm" ? QObject::tr("at %1") : QObject::tr("turned %1")).arg(letters[k]);
                auto* field = new NumberField(unit, unit == "mm" ? -2000 : -360, unit == "mm" ? 2000 : 360);
                field->setObjectName(name("more_tools_" + std::to_string(i + 1) + "_" + key + "_" + std::to_string(k)));
                field->set_value(now[k].get<double>());
                QObject::connect(field, &NumberField::changed, context_,
                    [self = *this, more, now, i, k, what = std::string(key)](double v) mutable {
                        cell::json next = more, three = now;
                        three[k] = v;
                        next[i][what] = three;
                        self.later([self, next]() mutable { self.set(self.at_ / "more_tools", next); });
                    });
                grid_.add(label, field, unit);
            }
    }

    /// What is no more than a value.
    void from_table(std::initializer_list<const char*> keys) {
        const EditedGroup group{cell::at_device(id_), values_, name(""), title_, &arm_};
        FieldEditors editors(open_, results_, grid_, context_, group);
        for (const char* key : keys) editors.add(*cell::find_field(cell::arm_device_fields(), key));
    }

    void add_travel() {
        const bool travels = values_.contains("travel");
        auto* box = new QCheckBox;
        box->setObjectName(name("travel"));
        box->setChecked(travels);
        QObject::connect(box, &QCheckBox::clicked, context_, [self = *this](bool on) mutable {
            self.later([self, on]() mutable {
                self.apply([&](const cell::Layout& l) { return cell::put_on_travel(l, self.id_, on); });
            });
        });
        mark_altered(open_, context_, box, grid_.add(QObject::tr("travel axis"), box), at_ / "travel");
        if (travels) from_table({"travel"});
    }

    OpenCell& open_;
    const Results& results_;
    FieldGrid grid_;
    const cell::Device& arm_;
    cell::json values_;
    std::string id_;
    cell::Path at_;
    QString title_;
    QObject* context_;
};

}  // namespace

void add_arm_and_tools(OpenCell& open, const Results& results, QVBoxLayout* into, const cell::Device& arm,
    const cell::json& values, QObject* context) {
    ArmFields(open, results, into, arm, values, context).add_arm_and_tools();
}

void add_how_it_moves(OpenCell& open, const Results& results, QVBoxLayout* into, const cell::Device& arm,
    const cell::json& values, QObject* context) {
    ArmFields(open, results, into, arm, values, context).add_how_it_moves();
}

}  // namespace escarp::desktop
