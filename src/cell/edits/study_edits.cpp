#include "study_edits.h"

#include <cmath>

#include <cell/model/device_kind.h>
#include <cell/text/names.h>

namespace escarp::cell {
namespace {

const json& study_in(const Layout& layout, const std::string& study) {
    if (const json* found = find(layout.document().tree(), Path("studies") / study)) return *found;
    std::string there;
    for (const json& one : layout.document().tree().value("studies", json::array()))
        there += (there.empty() ? "" : ", ") + one.value("id", "");
    throw InputError("study", "\"" + study + "\" is not the id of a study" +
                                  (there.empty() ? "; the cell has none." : "; there are " + there + "."));
}

json list_in(const json& study, const char* key) { return study.contains(key) ? study[key] : json::array(); }

/// What stands at a path as a number: the mean of a spread, or what a missing key means.
double number_at(const Layout& layout, const std::string& at, const Field* field) {
    const json* value = find(layout.tree(), at);
    if (value && value->is_number()) return value->get<double>();
    if (value && value->is_string()) try {
            return Spread::parse(value->get<std::string>()).mean();
        } catch (const InputError&) {
        }
    return field && field->usual.is_number() ? field->usual.get<double>() : 0;
}

json round_values_about(const Layout& layout, const std::string& at) {
    const Field* field = meaning_of_path(layout.tree(), at, layout.kinds()).field;
    const double now = number_at(layout, at, field);
    // Of a place half a metre, of an angle 60 degrees, of others two fifths.
    const bool place = at.find("/placement/") != std::string::npos && at.ends_with("_mm");
    double around = place ? 250 : at.ends_with("_deg") ? 30 : std::max(0.2 * std::abs(now), 1e-3);
    const double grain = std::pow(10, std::floor(std::log10(around)) - 1);
    around = std::round(around / grain) * grain;
    double from = now - around, to = now + around;
    if (field && field->low < field->high) from = std::max(from, field->low), to = std::min(to, field->high);
    return {{"from", std::round(from * 1e6) / 1e6}, {"to", std::round(to * 1e6) / 1e6}, {"steps", 11}};
}

}  // namespace

Edit add_study(const Layout& layout, const std::string& asks, const std::string& name, std::string* made) {
    const std::string id = free_id(layout.document().tree(), "study");
    json study = {{"id", id}, {"name", name}, {"asks", asks}};
    if (asks != "gains") study["look_at"] = {"cycle_s"};
    if (asks == "repetitions") study["repetitions"] = 30;
    else if (asks != "gains") study["vary"] = json::array();
    if (asks == "sensitivity") study["number_of_points"] = 20;
    Edit edit{"New study", {}};
    if (!find(layout.document().tree(), "/studies"))
        edit.operations.push_back(Operation::set("/studies", json::array()));
    edit.operations.push_back(Operation::add("/studies", study));
    if (made) *made = id;
    return edit;
}

Edit vary(const Layout& layout, const std::string& study, const std::string& at, const json& bounds) {
    json all = list_in(study_in(layout, study), "vary");
    for (const json& v : all)
        if (v.value("at", "") == at) return {};
    if (!find(layout.tree(), at) && !meaning_of_path(layout.tree(), at, layout.kinds()).field)
        throw InputError("at", "\"" + at + "\" is not in the cell.");
    json one = {{"at", at}};
    one.update(bounds.empty() ? round_values_about(layout, at) : bounds);
    all.push_back(std::move(one));
    return {"Change a study", {Operation::set(Path("studies") / study / "vary", all)}};
}

Edit no_longer_vary(const Layout& layout, const std::string& study, const std::string& at) {
    json all = list_in(study_in(layout, study), "vary");
    const auto of_it = [&](const json& v) { return v.value("at", "") == at; };
    const auto found = std::find_if(all.begin(), all.end(), of_it);
    if (found == all.end()) throw InputError("at", "The study does not vary \"" + at + "\".");
    all.erase(found);
    return {"Change a study", {Operation::set(Path("studies") / study / "vary", all)}};
}

Edit demand(const Layout& layout, const std::string& study, const std::string& figure, std::optional<double> least,
    std::optional<double> most) {
    const json before = list_in(study_in(layout, study), "keep");
    json all = json::array();
    for (const json& d : before)
        if (d.value("figure", "") != figure) all.push_back(d);
    if (!least && !most && all.size() == before.size())
        throw InputError("figure", "The study demands nothing of \"" + figure + "\".");
    json one = {{"figure", figure}};
    if (least) one["at_least"] = *least;
    if (most) one["at_most"] = *most;
    if (least || most) all.push_back(std::move(one));
    return {"Change a study", {Operation::set(Path("studies") / study / "keep", all)}};
}

}  // namespace escarp::cell
