// An arm's limits out of what a real one did.

#include <sstream>

#include <cell/text/numbers.h>
#include <exchange/measured_csv.h>
#include <exchange/question.h>
#include <exchange/result_json.h>
#include <study/calibrate.h>

namespace escarp::exchange {
namespace {

std::string percent(std::optional<double> share) {
    return share ? (*share > 0 ? "+" : "") + cell::fixed(100 * *share, 2) + " %" : "-";
}

Answer calibrate(Asked& a) {
    const int arm = a.arm();
    const cell::Device& d = a.cell().devices[static_cast<std::size_t>(arm)];
    std::vector<std::string> others;
    const study::Measured measured = read_measured(a.options().text("measured"), d, &others);
    const study::TriedCalibration tried = study::try_calibration(a.layout(), arm, measured, a.cache(), a.how());
    const study::Calibration& c = tried.found;
    Answer answer;
    std::ostringstream out;
    out << c.matched << " moves of " << d.name << " were measured; " << c.left_over
        << " stretches are between poses of its task and none of its moves\n";
    json fitted = json::array();
    char line[200];
    for (const study::Fitted& f : c.fitted) {
        json one{{"what", f.words}, {"unit", f.unit}, {"before", tidy(f.before)}, {"after", tidy(f.after)},
            {"standard_deviation", f.within ? json(tidy(*f.within)) : json()}, {"moves", f.moves}};
        if (f.spread > 0) one["spread"] = tidy(f.spread);
        fitted.push_back(std::move(one));
        const int decimals = f.unit == "s" ? 3 : f.after < 100 ? 1 : 0;
        if (f.seen())
            std::snprintf(line, sizeof line, "%-30s %10s -> %10s %-7s +- %s, %d moves\n", f.words.c_str(),
                cell::fixed(f.before, decimals).c_str(), cell::fixed(f.after, decimals).c_str(), f.unit.c_str(),
                cell::fixed(*f.within, decimals + 1).c_str(), f.moves);
        else
            std::snprintf(line, sizeof line, "%-30s %10s    %10s %-7s no move says\n", f.words.c_str(),
                cell::fixed(f.before, decimals).c_str(), "", f.unit.c_str());
        out << line;
    }
    json moves = json::array();
    out << "\nstep  move          times   measured  computed before   after\n";
    for (const study::FittedMove& m : c.moves) {
        moves.push_back({{"step", m.step + 1}, {"kind", simulation::word(m.kind)}, {"times", m.times},
            {"measured_s", tidy(m.measured_s)}, {"before_s", tidy(m.before_s)}, {"after_s", tidy(m.after_s)}});
        std::snprintf(line, sizeof line, "%4d  %-13s %5d %8.3f s %8.3f s (%s) %8.3f s (%s)\n", m.step + 1,
            simulation::word(m.kind), m.times, m.measured_s, m.before_s, percent(m.before_s / m.measured_s - 1).c_str(),
            m.after_s, percent(m.after_s / m.measured_s - 1).c_str());
        out << line;
    }
    if (c.round_measured_s)
        out << "\nround: measured " << cell::fixed(*c.round_measured_s, 3) << " s, computed before "
            << (c.round_before_s ? cell::fixed(*c.round_before_s, 3) + " s" : "-") << " ("
            << percent(tried.round_error_before()) << "), after "
            << (tried.round_after_s ? cell::fixed(*tried.round_after_s, 3) + " s" : "-") << " ("
            << percent(tried.round_error_after()) << ")\n";
    const auto optional = [](std::optional<double> value) { return value ? json(tidy(*value)) : json(); };
    answer.result = {{"arm", d.id}, {"moves_matched", c.matched}, {"stretches_left_over", c.left_over},
        {"noise_deg", tidy(c.noise * 180 / geometry::pi)}, {"fitted", fitted}, {"moves", moves},
        {"round_measured_s", optional(c.round_measured_s)}, {"round_before_s", optional(c.round_before_s)},
        {"round_after_s", optional(tried.round_after_s)}};
    answer.words = out.str();
    if (!others.empty()) {
        std::string names;
        for (std::size_t i = 0; i < others.size() && i < 10; ++i) names += (i ? ", " : "") + others[i];
        answer.notes.push_back("Columns that are no joint of " + d.name + " are left out: " + names +
                               (others.size() > 10 ? " and more." : "."));
    }
    answer.edit = tried.edit;
    return answer;
}

}  // namespace

void add_calibration_questions(std::vector<Question>& all) {
    all.push_back({"calibrate",
        "an arm's speeds, accelerations, jerks, settling and gripper times fitted to joint values that were measured "
        "on "
        "the real one (CSV)",
        {cell::field::of(cell::Field::Type::arm, "arm", "id of the arm"),
            cell::field::text("measured", "CSV file: t_s and a column for each joint, J1_deg ...")},
        calibrate, true});
}

}  // namespace escarp::exchange
