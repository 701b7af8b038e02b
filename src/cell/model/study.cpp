#include "study.h"

#include <cell/document/edit.h>
#include <cell/text/names.h>
#include <cell/text/numbers.h>

#include "device_kind.h"
#include "step_kind.h"
#include "tables.h"

namespace escarp::cell {

using namespace field;
using Type = Field::Type;

const Fields& varied_fields() {
    static const Fields all{text("at", "varies").explained("Path of keys: /devices/arm1/placement/x_mm"),
        number("from", "from", -1e9, 1e9).lacking(), number("to", "to", -1e9, 1e9).lacking(),
        whole("steps", "in steps", 2, 10000).usually(11).explained("Values, both ends among them."),
        of(Type::texts, "values", "or one of").of_number(2, 0).lacking().explained("Instead of from and to."),
        flag("order", "every order", false).explained("Of the elements of the list there.")};
    return all;
}

const Fields& demand_fields() {
    static const Fields all{text("figure", "figure"), number("at_least", "at least", -1e9, 1e9).lacking(),
        number("at_most", "at most", -1e9, 1e9).lacking()};
    return all;
}

const Fields& study_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(),
        choice("asks", "asks for", {"sweep", "search", "sensitivity", "repetitions", "gains"}).usually("sweep"),
        list("vary", "varies", varied_fields, 20), of(Type::ids, "look_at", "looks at").lacking(),
        list("keep", "keeps", demand_fields, 20),
        choice("points", "points", {"grid", "spread evenly"})
            .usually("grid")
            .explained("Of a sweep: every combination, or so many of all."),
        whole("number_of_points", "how many", 1, 100000)
            .usually(100)
            .explained("Of points spread evenly; of a sensitivity: how often each number is tried."),
        choice("method", "by", {"screening", "shares"})
            .usually("screening")
            .explained("Of a sensitivity: single changes, or shares of the variance."),
        whole("repetitions", "repetitions", 1, 100000).usually(1),
        number("until_pct", "until", 0.001, 100)
            .lacking()
            .explained("Half the interval of the first figure, of its mean; repetitions is the most then."),
        whole("tries", "tries", 2, 1000000).usually(200).explained("Evaluations of a search."),
        whole("starts", "starts", 1, 1000).usually(4).explained("Of a search: from so many places at once.")};
    return all;
}

Study read_study(const Reader& r) {
    const Values v(r, study_fields());
    Study s;
    s.id = v.id();
    s.name = v.text("name", s.id);
    const std::string asks = v.choice("asks");
    s.asks = asks == "search"        ? Study::Asks::search
             : asks == "sensitivity" ? Study::Asks::sensitivity
             : asks == "repetitions" ? Study::Asks::repetitions
             : asks == "gains"       ? Study::Asks::gains
                                     : Study::Asks::sweep;
    for (const Reader& one : v.list("vary")) {
        const Values w(one, varied_fields());
        Varied varied;
        varied.at = w.text("at");
        if (!varied.at.starts_with("/"))
            one.problem("at", "A path of keys such as /devices/arm1/placement/x_mm is expected.");
        varied.steps = w.whole("steps");
        varied.order = w.flag("order");
        if (w.has("values")) varied.values = w.ids("values");
        if (w.has("from")) varied.from = w.number("from");
        if (w.has("to")) varied.to = w.number("to");
        const int said = (w.has("from") || w.has("to")) + w.has("values") + varied.order;
        if (said != 1) one.problem("from", "One of these is expected: from and to, values, or order.");
        else if (varied.numeric() && (!w.has("from") || !w.has("to")))
            one.problem(w.has("from") ? "to" : "from", "The key is missing; from and to belong together.");
        else if (varied.numeric() && varied.from >= varied.to) one.problem("to", "More than \"from\" is expected.");
        s.vary.push_back(std::move(varied));
    }
    if (v.has("look_at")) s.look_at = v.ids("look_at");
    for (std::size_t i = 0; i < s.look_at.size(); ++i)
        if (!valid_id(s.look_at[i]))
            r.problem("look_at/" + std::to_string(i),
                "Found \"" + s.look_at[i] + "\"; the id of a figure such as cycle_s is expected.");
    for (const Reader& one : v.list("keep")) {
        const Values w(one, demand_fields());
        Demand d{w.text("figure"), std::nullopt, std::nullopt};
        if (w.has("at_least")) d.least = w.number("at_least");
        if (w.has("at_most")) d.most = w.number("at_most");
        if (!d.least && !d.most) one.problem("at_least", "At least, at most or both are expected.");
        else if (d.least && d.most && *d.least > *d.most)
            one.problem("at_most", "No less than \"at_least\" is expected.");
        s.keep.push_back(std::move(d));
    }
    s.evenly = v.choice("points") == "spread evenly";
    s.points = v.whole("number_of_points");
    s.shares = v.choice("method") == "shares";
    s.repetitions = v.whole("repetitions");
    if (v.has("until_pct")) s.until = v.number("until_pct");
    s.tries = v.whole("tries");
    s.starts = v.whole("starts");
    return s;
}

std::string value_in_words(const json& value) {
    constexpr std::size_t most = 5;
    const auto named = [](const json& one) -> std::string {
        for (const char* key : {"name", "id"})
            if (one.is_object() && one.contains(key) && one[key].is_string()) return one[key].get<std::string>();
        return {};
    };
    if (value.is_null()) return "nothing";
    if (value.is_boolean()) return value.get<bool>() ? "on" : "off";
    if (value.is_number()) return shortest(value.get<double>());
    if (value.is_string()) return value.get<std::string>();
    if (value.empty()) return "none";
    std::string out;
    std::size_t told = 0;
    const auto more = [&](const std::string& words) {
        if (++told <= most) out += (out.empty() ? "" : ", ") + words;
    };
    if (value.is_array()) {
        for (const json& one : value) {
            const std::string name = named(one);
            const std::string what = one.is_object() && one.contains("do") ? one.value("do", "") : std::string();
            more(!what.empty() ? what : !name.empty() ? name : value_in_words(one));
        }
    } else if (std::string name = named(value); !name.empty()) {
        return name;
    } else {
        for (const auto& [key, inner] : value.get_ref<const json::object_t&>()) {
            const Field* f = find_field(placement_fields(), key);
            more((f ? f->label : key) + " " + value_in_words(inner));
        }
    }
    return told > most ? out + " and " + std::to_string(told - most) + " more" : out;
}

PathMeaning meaning_of_path(const json& tree, const std::string& at, const Kinds& kinds) {
    std::vector<std::string> keys;
    for (std::size_t from = 1; from <= at.size();) {
        const std::size_t to = std::min(at.find('/', from), at.size());
        keys.push_back(at.substr(from, to - from));
        from = to + 1;
    }
    if (keys.empty()) return {nullptr, at};
    const std::string& last = keys.back();
    if (keys.size() == 1) {
        const Field* f = find_field(cell_fields(), last);
        return {f, f ? f->label : at};
    }
    if (keys.size() == 2 && keys[0] == "costs") {
        const Field* f = find_field(cost_fields(), last);
        return {f, f ? f->label : at};
    }
    const json* owner = find(tree, "/" + keys[0] + "/" + keys[1]);
    if (!owner || !owner->is_object()) return {nullptr, at};
    const std::string name = owner->value("name", keys[1]);
    const auto among = [&](std::initializer_list<const Fields*> tables) -> const Field* {
        for (const Fields* one : tables)
            if (const Field* f = find_field(*one, last)) return f;
        return nullptr;
    };
    const Field* found = nullptr;
    if (keys[0] == "devices" && keys.size() == 3) {
        if (const DeviceKind* kind = kinds.find(owner->value("kind", "")))
            found = kind->has_arm() ? among({&kind->fields(), &arm_device_fields(), &device_fields()})
                                    : among({&kind->fields(), &device_fields()});
    } else if (keys[0] == "devices" && keys.size() == 4 && keys[2] == "placement") {
        found = among({&placement_fields()});
    } else if (keys.size() == 3 && keys[0] == "part_types") {
        found = among({&part_type_fields()});
    } else if (keys.size() == 3 && keys[0] == "tool_models") {
        found = among({&tool_model_fields()});
    } else if (keys.size() == 3 && keys[0] == "arm_models") {
        found = among({&arm_model_fields()});
    }
    if (found) {  // "Infeed belt speed", not "Infeed belt belt speed"
        const std::string& label = found->label;
        const std::string first = label.substr(0, label.find(' '));
        const bool twice = label.size() > first.size() && name.size() > first.size() &&
                           name.compare(name.size() - first.size(), first.size(), first) == 0;
        return {found, name + (twice ? label.substr(first.size()) : " " + label)};
    }
    // A step: what it does by its kind, then the key.
    const std::string parent = at.substr(0, at.rfind('/'));
    if (const json* step = find(tree, parent); step && step->is_object() && step->contains("do"))
        if (const StepKind* kind = kinds.find_step(step->value("do", ""))) {
            found = among({&kind->fields(), &step_fields()});
            return {found, name + " " + kind->label() + " " + (found ? found->label : last)};
        }
    std::string rest;
    for (std::size_t i = 2; i < keys.size(); ++i) rest += " " + keys[i];
    return {nullptr, name + rest};
}

}  // namespace escarp::cell
