#include "arm_fields.h"

#include <QCheckBox>
#include <QComboBox>
#include <QTimer>

#include <cell/mount.h>
#include <simulation/kinds.h>

#include "field_grid.h"
#include "number_field.h"

namespace escarp::desktop {
namespace {

class ArmFields {
public:
    ArmFields(Workspace& workspace, QVBoxLayout* into, const cell::Device& arm, const cell::json& values,
        QObject* context, const std::function<void(QWidget*, QLabel*, const std::string&)>& mark)
        : workspace_(workspace),
          grid_(new_field_grid(into)),
          values_(values),
          id_(arm.id),
          at_("/devices/" + arm.id + "/"),
          title_(QObject::tr("Change %1").arg(QString::fromStdString(arm.name))),
          context_(context),
          mark_(mark) {}

    void add() {
        std::vector<std::pair<QString, std::string>> models;
        for (const auto& m : workspace_.cell()->arm_models) models.emplace_back(QString::fromStdString(m.name), m.id);
        choice(QObject::tr("model"), "model", models, values_.value("model", ""),
            [self = *this](const std::string& to) mutable { self.set(self.at_ + "model", to); });
        tool(QObject::tr("tool"), 0, values_.value("tool", ""));
        const cell::json more = values_.value("more_tools", cell::json::array());
        for (std::size_t i = 0; i < more.size(); ++i) add_more(more, i);
        if (!values_.value("tool", "").empty())
            tool(more.empty() ? QObject::tr("second tool") : QObject::tr("one more tool"), more.size() + 1, "");
        number(QObject::tr("speed"), {"speed_pct"}, "%", 1, 100, 100);
        number(QObject::tr("acceleration"), {"acceleration_pct"}, "%", 1, 100, 100);
        flag(QObject::tr("detours"), "detours", true);
        flag(QObject::tr("gently"), "gentle_carry", false);
        add_travel();
    }

private:
    QString name(const std::string& key) const { return QString::fromStdString("field_" + id_ + "_" + key); }
    void later(std::function<void()> act) { QTimer::singleShot(0, context_, std::move(act)); }
    void set(const std::string& path, const cell::json& value) {
        workspace_.apply({title_.toStdString(), {cell::Operation::set(path, value)}});
    }
    void apply(const std::function<cell::Edit(const cell::Layout&)>& edit) {
        try {
            workspace_.apply(edit(workspace_.layout()));
        } catch (const cell::InputError& e) {
            Q_EMIT workspace_.refused(title_, QString::fromStdString(e.problems().front().message));
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
        mark_(box, grid_.add(label, box), at_ + key);
    }

    void tool(const QString& label, std::size_t place, const std::string& now) {
        std::vector<std::pair<QString, std::string>> tools{{QObject::tr("none"), ""}};
        for (const auto& [id, text] : cell::tools_to_mount(workspace_.resolved()))
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
                        self.later([self, next]() mutable { self.set(self.at_ + "more_tools", next); });
                    });
                grid_.add(label, field, unit);
            }
    }

    void number(const QString& label, const std::vector<std::string>& keys, const QString& unit, double low,
        double high, double usual) {
        std::string path = at_, shown;
        const cell::json* group = &values_;
        for (std::size_t i = 0; i + 1 < keys.size(); ++i)
            path += keys[i] + "/", shown += keys[i] + "_", group = &(*group)[keys[i]];
        auto* field = new NumberField(unit, low, high);
        field->setObjectName(name(shown + keys.back()));
        field->set_value(group->value(keys.back(), usual));
        path += keys.back();
        QObject::connect(field, &NumberField::changed, context_,
            [self = *this, path](double v) mutable { self.later([self, path, v]() mutable { self.set(path, v); }); });
        mark_(field, grid_.add(label, field, unit), path);
    }

    void flag(const QString& label, const std::string& key, bool usual) {
        auto* box = new QCheckBox;
        box->setObjectName(name(key));
        box->setChecked(values_.value(key, usual));
        box->setToolTip(key == "detours" ? QObject::tr("Joint moves go round what stands in the way")
                                         : QObject::tr("Moves with a part are slowed until the grip holds"));
        QObject::connect(box, &QCheckBox::clicked, context_, [self = *this, key](bool on) mutable {
            self.later([self, key, on]() mutable { self.set(self.at_ + key, on); });
        });
        mark_(box, grid_.add(label, box), at_ + key);
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
        mark_(box, grid_.add(QObject::tr("travel axis"), box), at_ + "travel");
        if (!travels) return;
        number(QObject::tr("its length"), {"travel", "length_mm"}, "mm", 50, 50000, 2000);
        number(QObject::tr("width"), {"travel", "width_mm"}, "mm", 50, 3000, 400);
        number(QObject::tr("height"), {"travel", "height_mm"}, "mm", 20, 5000, 300);
        number(QObject::tr("speed"), {"travel", "speed_mm_s"}, "mm/s", 1, 20000, 1500);
        number(QObject::tr("acceleration"), {"travel", "acceleration_mm_s2"}, QStringLiteral("mm/s\u00b2"), 1, 100000,
            2500);
        number(QObject::tr("ready at"), {"travel", "ready_mm"}, "mm", 0, 50000, 1000);
        number(QObject::tr("arm turned"), {"travel", "arm_turn_deg"}, QStringLiteral("\u00b0"), -360, 360, 0);
    }

    Workspace& workspace_;
    FieldGrid grid_;
    cell::json values_;
    std::string id_, at_;
    QString title_;
    QObject* context_;
    std::function<void(QWidget*, QLabel*, const std::string&)> mark_;
};

}  // namespace

void add_arm_fields(Workspace& workspace, QVBoxLayout* into, const cell::Device& arm, const cell::json& values,
    QObject* context, const std::function<void(QWidget*, QLabel*, const std::string& path)>& mark) {
    ArmFields(workspace, into, arm, values, context, mark).add();
}

}  // namespace escarp::desktop
