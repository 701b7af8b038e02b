// Space that movers share: zones, and what one of them sweeps.

#include <sstream>

#include <cell/text/disk.h>
#include <inspection/zones.h>
#include <simulation/zone_arbiter.h>
#include <study/interlock.h>
#include <study/lock_up.h>

#include "../arbiter_text.h"
#include "../question.h"
#include "../result_json.h"
#include "../surface_file.h"

namespace escarp::exchange {
namespace {

using namespace cell::field;
using inspection::Zone;
using inspection::ZoneSide;
using inspection::ZoneVisit;
using simulation::seconds;
using Type = cell::Field::Type;

json step_name(const cell::Cell& cell, int device, int number) {
    for (const cell::Step* s : cell::all_steps(cell.devices[device]))
        if (s->number == number) return s->id;
    return nullptr;
}

json joints_at(const study::Evaluation& e, int device, simulation::Ticks t) {
    const cell::Arm& arm = *e.cell->devices[device].mover();
    const kinematics::JointVector q = e.run->trace.joints(*e.cell, device, t);
    json out = json::array();
    for (int j = 0; j < q.size(); ++j) {
        const bool hinge = arm.model->mechanism.joints[j].type == kinematics::JointType::hinge;
        out.push_back(tidy(q[j] / (hinge ? geometry::degree : 1e-3)));
    }
    return out;
}

json corner(const geometry::Vector3& p) { return {tidy(1e3 * p.x()), tidy(1e3 * p.y()), tidy(1e3 * p.z())}; }

json side_json(const study::Evaluation& e, const inspection::Zones& zones, const ZoneSide& s) {
    const cell::Cell& cell = *e.cell;
    json visits = json::array(), steps = json::array();
    for (const ZoneVisit& v : s.visits) {
        if (v.leaves < zones.from || v.enters > zones.until) continue;
        visits.push_back({{"last_free_s", seconds(v.enters)}, {"first_free_s", seconds(v.leaves)},
            {"step_in", step_name(cell, s.device, v.step_in)}, {"step_out", step_name(cell, s.device, v.step_out)},
            {"joints_in", joints_at(e, s.device, v.enters)}, {"joints_out", joints_at(e, s.device, v.leaves)}});
    }
    for (const int step : s.steps) steps.push_back(step_name(cell, s.device, step));
    return {{"device", cell.devices[s.device].id}, {"steps", steps}, {"bodies", s.bodies}, {"inside_s", s.inside_s},
        {"visits", visits}};
}

json zone_json(const study::Evaluation& e, const inspection::Zones& zones, const Zone& z) {
    const cell::Cell& cell = *e.cell;
    json pairs = json::array();
    for (const Zone::Steps& p : z.pairs)
        pairs.push_back(
            {{"steps", {step_name(cell, z.sides[0].device, p.one), step_name(cell, z.sides[1].device, p.two)}},
                {"litres", tidy(p.litres)}});
    json out = {{"zone", z.id}, {"name", z.name}, {"litres", tidy(z.litres)},
        {"box_mm", {corner(z.box.low), corner(z.box.high)}},
        {"at", z.centre < 0 ? json() : json(cell.devices[z.centre].id)},
        {"movers", {side_json(e, zones, z.sides[0]), side_json(e, zones, z.sides[1])}}, {"step_pairs", pairs},
        {"together", z.together}, {"kept_by", z.kept_by < 0 ? json() : json(cell.devices[z.kept_by].id)}};
    if (z.uncovered.arbiter >= 0 && z.kept_by < 0)
        out["not_covered"] = {{"interlock", cell.devices[z.uncovered.arbiter].id},
            {"device", cell.devices[z.uncovered.mover].id}, {"from_s", seconds(z.uncovered.enters)},
            {"to_s", seconds(z.uncovered.leaves)}};
    if (z.together) {
        out["together_first_s"] = seconds(z.together_at);
        if (z.nearest.device_a >= 0)
            out["nearest"] = {{"distance_mm", tidy(1e3 * z.nearest.distance)}, {"at_s", tidy(z.nearest.when_s)},
                {"bodies", {z.nearest.body_a, z.nearest.body_b}}};
    }
    return out;
}

void zone_words(const study::Evaluation& e, const inspection::Zones& zones, const Zone& z, std::ostream& words) {
    const cell::Cell& cell = *e.cell;
    words << z.name << "  " << cell.devices[z.sides[0].device].name << " and " << cell.devices[z.sides[1].device].name;
    if (z.centre >= 0) words << " at " << cell.devices[z.centre].name;
    words << ", " << formatted(z.litres, "%.1f") << " litres\n";
    for (const ZoneSide& s : z.sides) {
        words << "    " << cell.devices[s.device].name << " (";
        for (std::size_t i = 0; i < s.bodies.size(); ++i) words << (i ? ", " : "") << s.bodies[i];
        words << "), inside " << formatted(s.inside_s, "%.2f") << " s"
              << (e.run->steady ? " of a period of " + formatted(seconds(e.run->steady->period), "%.2f") + " s" : "")
              << "\n";
        constexpr int most = 8;
        int shown = 0, more = 0;
        for (const ZoneVisit& v : s.visits) {
            if (v.leaves < zones.from || v.enters > zones.until) continue;
            if (++shown > most) ++more;
            else
                words << "        from " << formatted(seconds(v.enters), "%.3f") << " to "
                      << formatted(seconds(v.leaves), "%.3f") << " s\n";
        }
        if (more) words << "        and " << more << " times more\n";
    }
    if (z.kept_by >= 0) words << "    kept apart by " << cell.devices[z.kept_by].name << "\n";
    if (z.uncovered.arbiter >= 0 && z.kept_by < 0)
        words << "    " << cell.devices[z.uncovered.mover].name << " is inside without leave of "
              << cell.devices[z.uncovered.arbiter].name << " from " << formatted(seconds(z.uncovered.enters), "%.3f")
              << " to " << formatted(seconds(z.uncovered.leaves), "%.3f") << " s\n";
    if (!z.together) words << "    never both inside in this run\n";
    else {
        words << "    both inside at once, first at " << formatted(seconds(z.together_at), "%.3f") << " s";
        if (z.nearest.device_a >= 0)
            words << "; " << formatted(1e3 * z.nearest.distance, "%.0f") << " mm apart at "
                  << formatted(z.nearest.when_s, "%.3f") << " s";
        words << "\n";
    }
}

json verdict(const inspection::Orders& o) {
    using Verdict = inspection::Orders::Verdict;
    return o.verdict == Verdict::goes_on ? "cannot" : o.verdict == Verdict::locks_up ? "can" : "not decided";
}

Answer zones(Asked& a) {
    const auto e = a.evaluation();
    const auto found = inspection::find_zones(*e->cell, *e->run, a.cache(), a.how().stop,
        a.options().has("resolution_mm") ? a.options().number("resolution_mm")
                                         : inspection::usual_resolution(*e->cell, *e->run));
    json all = json::array();
    std::ostringstream words;
    for (const Zone& z : found->all) {
        all.push_back(zone_json(*e, *found, z));
        zone_words(*e, *found, z, words);
    }
    if (found->all.empty()) words << "No two movers share any space.\n";
    return {{{"resolution_mm", 1e3 * found->resolution}, {"from_s", seconds(found->from)},
                {"until_s", seconds(found->until)}, {"zones", all}},
        words.str()};
}

Answer interlock(Asked& a) {
    const study::KeptApart k =
        study::price_of_keeping_apart(a.layout(), a.options().text("zone"), a.cache(), {}, a.how().stop);
    json rules = json::array();
    std::ostringstream words;
    const auto number = [](const std::optional<double>& v) { return v ? json(tidy(*v)) : json(); };
    words << "cycle without an interlock " << formatted(number(k.without_s), "%.2f") << " s, now "
          << formatted(number(k.found_s), "%.2f") << " s\n";
    const bool parts = !a.cell().part_types.empty();
    if (!k.keeps_distance) words << "with the safety distance kept it locks up, whatever the rule; without:\n";
    const std::string asked = a.options().text("rule", "");
    const std::string rule = asked.empty() ? k.best : asked;
    json edit;
    std::optional<cell::Edit> made;
    for (std::size_t i = 0; i < k.rules.size(); ++i) {
        const study::RulePrice& p = k.rules[i];
        rules.push_back({{"rule", p.rule}, {"cycle_s", number(p.cycle_s)}, {"kept_apart", p.kept_apart},
            {"stuck", p.stuck}, {"contacts", p.contacts}, {"waits_s", tidy(p.waits_s)}, {"slowed_s", tidy(p.slowed_s)},
            {"lock_up", p.stuck    ? json("locks up")
                        : p.orders ? verdict(*p.orders)
                                   : json()},
            {"states", p.orders ? json(p.orders->states) : json()}});
        words << "    " << p.rule << ": "
              << (p.cycle_s ? formatted(number(p.cycle_s), "%.2f") + " s" : std::string("no part leaves")) << ", waits "
              << formatted(p.waits_s, "%.2f") << " s and slowed down by " << formatted(p.slowed_s, "%.2f") << " s a "
              << (parts ? "part" : "round")
              << (p.stuck         ? ", locks up"
                     : p.contacts ? ", " + std::to_string(p.contacts) + " contacts"
                                  : "")
              << (p.orders && !p.stuck ? ", " + study::orders_words(*p.orders) : "")
              << (p.kept_apart ? "" : ", not kept apart") << (p.rule == k.best ? "  (least)" : "") << "\n";
        if (p.rule != rule) continue;
        made = k.edits[i];
        edit = {{"name", k.edits[i].name}, {"operations", json::array()}};
        for (const cell::Operation& o : k.edits[i].operations) edit["operations"].push_back(o.to_json());
    }
    json elsewhere = json::array();
    if (!k.elsewhere.empty()) words << "with the safety distance kept, too, if an arm waits elsewhere:\n";
    for (const inspection::WayOut& way : k.elsewhere) {
        words << "    " << way.label << ": " << way.effect << "\n";
        json operations = json::array();
        for (const cell::Operation& o : way.edit.operations) operations.push_back(o.to_json());
        elsewhere.push_back({{"words", way.label}, {"comes_to", way.effect},
            {"edit", {{"name", way.edit.name}, {"operations", operations}}}});
    }
    if (!asked.empty() && edit.is_null())
        throw cell::InputError(
            "--rule", asked == simulation::let_in::both_apart
                          ? "Whatever the two do there meets; first come is the same."
                          : "\"" + asked + "\" is no rule; " + study::rules_in_words() + " is expected.");
    return {{{"zone", k.zone}, {"interlock", k.device}, {"without_s", number(k.without_s)},
                {"now_s", number(k.found_s)}, {"rules", rules}, {"keeps_safety_distance", k.keeps_distance},
                {"best", k.best}, {"rule", rule}, {"edit", edit}, {"elsewhere", elsewhere}},
        words.str(), false, {}, made};
}

Answer lock_up(Asked& a) {
    const cell::Cell& cell = a.cell();
    const auto most = static_cast<std::size_t>(a.options().whole("most_states"));
    const auto orders = inspection::explore_orders(cell, a.cache(), a.how().stop, most);
    const auto name = [&](int device) { return device < 0 ? json() : json(cell.devices[device].id); };
    json way = json::array(), waits = json::array(), devices = json::array();
    std::ostringstream words;
    const bool decided = orders->verdict != inspection::Orders::Verdict::undecided;
    words << (decided ? "The cell " : "It is ") << study::orders_words(*orders) << ".\n";
    for (std::size_t i = 0; i < orders->way.size(); ++i) {
        const inspection::OrderStep& s = orders->way[i];
        way.push_back({{"device", name(s.device)}, {"what", s.words},
            {"at_s", orders->run ? json(tidy(seconds(s.when))) : json()},
            {"no_way_out", !orders->always && i >= orders->no_way_out}});
        words << "    " << (orders->run ? formatted(seconds(s.when), "%8.2f") + " s  " : "")
              << cell.devices[s.device].name << ": " << s.words
              << (!orders->always && i == orders->no_way_out ? "  (from here on it cannot be avoided)" : "") << "\n";
    }
    for (const simulation::Run::Wait& w : orders->waits) {
        waits.push_back({{"device", name(w.device)}, {"for", name(w.other)}});
        words << "    " << cell.devices[w.device].name << " waits for "
              << (w.other < 0 ? "a signal" : cell.devices[w.other].name) << "\n";
    }
    for (const int d : orders->devices) devices.push_back(name(d));
    return {{{"verdict", verdict(*orders)}, {"states", orders->states},
                {"why", orders->why_undecided.empty() ? json() : json(orders->why_undecided)},
                {"always", orders->always}, {"devices", devices}, {"way", way}, {"waits", waits}},
        words.str(), orders->verdict == inspection::Orders::Verdict::locks_up};
}

int mover(Asked& a) {
    const std::string id = a.options().text("mover");
    const int index = a.cell().device(id);
    if (index >= 0 && a.cell().devices[index].mover()) return index;
    std::string known;
    for (const cell::Device& d : a.cell().devices)
        if (d.mover()) known += (known.empty() ? "" : ", ") + d.id;
    throw cell::InputError(
        "--mover", "\"" + id + "\" is not the id of a mover; the cell has " + (known.empty() ? "none" : known) + ".");
}

int step(Asked& a, int device) {
    const std::string id = a.options().text("step", "");
    if (id.empty()) return -1;
    std::string known;
    for (const cell::Step* s : cell::all_steps(a.cell().devices[device])) {
        if (s->id == id) return s->number;
        known += (known.empty() ? "" : ", ") + s->id;
    }
    throw cell::InputError(
        "--step", "\"" + id + "\" is no step of it; there are " + (known.empty() ? "none" : known) + ".");
}

Answer write_swept(Asked& a, const std::string& file) {
    const int device = mover(a), number = step(a, device);
    const auto e = a.evaluation();
    const double resolution = a.options().number("resolution_mm");
    const auto volume = inspection::swept_by(*e->cell, *e->run, device, number, resolution, a.how().stop);
    if (!volume || volume->empty())
        throw cell::InputError("--step", "It does not move during this step within the run.");
    const geometry::Surface skin = surface_of(volume->skin());
    const std::string name = "Swept by " + a.cell().devices[device].name;
    if (file.ends_with(".stl")) write_stl(file, skin);
    else write_glb(file, skin, name);
    const geometry::Box3 box = volume->box();
    return {{{"file", file}, {"litres", tidy(volume->litres())}, {"box_mm", {corner(box.low), corner(box.high)}},
                {"triangles", skin.triangles.size()}, {"resolution_mm", 1e3 * resolution}},
        file + ": " + name + ", " + formatted(volume->litres(), "%.1f") + " litres, no more than " +
            formatted(1e3 * resolution, "%g") + " mm beyond it\n"};
}

Answer write_arbiter(Asked& a, const std::string& file) {
    const std::string id = a.options().text("interlock");
    const cell::json& tree = a.layout().tree();
    cell::write_file(file, file.ends_with(".csv") ? arbiter_table(tree, id) : arbiter_text(tree, id));
    return {{{"file", file}}, file + ": the logic of " + id + "\n"};
}

cell::Field resolution() {
    return cell::field::number("resolution_mm", "how far it may exceed the truth", 2, 200).usually(10);
}

}  // namespace

void add_zone_questions(std::vector<Question>& all) {
    all.push_back({"zones", "space that two movers share: who is inside when, and whether both are at once",
        {cell::field::number(
            "resolution_mm", "how far a zone may exceed the truth; 10, more where there are many motions", 2, 200)
                .lacking()},
        zones});
    all.push_back(
        {"interlock", "what keeping two movers apart in a zone costs under each rule, and the edit that does it",
            {text("zone", "id of a shared zone"), text("rule", "the least cycle decides if not given").lacking()},
            interlock, true});
    all.push_back({"lock-up", "whether the cell can lock up, whatever takes how long, and the shortest way into it",
        {cell::field::whole("most_states", "how many states are gone through at most", 100, 5000000)
                .usually(inspection::usual_most_states)},
        lock_up});
}

void add_arbiter_exporter(std::vector<Exporter>& all) {
    all.push_back({"arbiter", "Logic of an interlock", "as structured text (IEC 61131-3), or its states as CSV",
        {"st", "csv"}, {text("interlock", "id of the interlock")}, write_arbiter});
}

void add_swept_exporter(std::vector<Exporter>& all) {
    all.push_back(
        {"swept", "Swept volume", "all that a mover occupies over its task or a step, as STL or glTF", {"stl", "glb"},
            {of(Type::device, "mover", "id of an arm or of what else moves"),
                text("step", "id of a step; the whole task if not given").lacking(), resolution()},
            write_swept});
}

}  // namespace escarp::exchange
