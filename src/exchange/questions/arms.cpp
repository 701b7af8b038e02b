// Which arm, and where its base may stand.

#include <sstream>

#include <exchange/question.h>
#include <exchange/result_json.h>
#include <inspection/base_field.h>
#include <study/which_arm.h>

namespace escarp::exchange {
namespace {

using namespace cell::field;

Answer base_field(Asked& a) {
    const cell::Cell& c = a.cell();
    const int index = a.arm();
    const cell::Device& arm = c.devices[index];
    inspection::BaseFieldOptions options;
    options.stop = a.how().stop;
    const inspection::BaseField f =
        inspection::base_field(c, index, inspection::check_reach(c, a.cache(), options.stop), options);
    json rows = json::array();
    for (int row = 0; row < f.rows; ++row)
        for (int column = 0; column < f.columns; ++column)
            if (f.margin_at(column, row) > 0)
                rows.push_back({tidy(1e3 * (f.x + column * f.cell)), tidy(1e3 * (f.y + row * f.cell)),
                    tidy(std::round(1e4 * f.margin_at(column, row)) / 10)});
    Answer answer{{{"arm", arm.id}, {"poses", f.poses}, {"cell_mm", 1e3 * f.cell}, {"good_cells", rows.size()}}, {}};
    std::ostringstream out;
    out << f.poses << " poses, " << rows.size() << " good cells of " << 1e3 * f.cell << " mm\n";
    if (f.best >= 0) {
        const geometry::Frame base = f.base_at(f.best, arm.world);
        const double margin = tidy(std::round(1e4 * f.margin[f.best]) / 10);
        answer.result["best"] = {{"base", frame_json(base)}, {"margin_mm", margin}};
        out << "best: base at " << 1e3 * base.translation().x() << ", " << 1e3 * base.translation().y()
            << " mm, turned " << geometry::to_triple(base.linear()).z() / geometry::degree << " degrees; room to move "
            << margin << " mm\n";
    } else {
        out << "no position reaches every pose\n";
    }
    answer.result["x_y_margin_mm"] = std::move(rows);
    answer.words = out.str();
    return answer;
}

json mounted(const study::Mounted& m) {
    return {{"poses", m.poses}, {"reached", m.reached},
        {"margin_mm", m.margin_m ? json(tidy(*m.margin_m * 1e3)) : json()},
        {"cycle_s", m.cycle_s ? json(tidy(*m.cycle_s)) : json()}};
}

std::string mounted_words(const study::Mounted& m) {
    char line[80];
    std::snprintf(line, sizeof line, "%3d of %-3d %7.0f mm %9s", m.reached, m.poses, m.margin_m.value_or(0) * 1e3,
        m.cycle_s ? (std::to_string(*m.cycle_s).substr(0, 6) + " s").c_str() : "-");
    return line;
}

Answer which_arm(Asked& a) {
    const auto choices = study::which_arm(a.layout(), a.cell().devices[a.arm()].id, a.cache(), {}, a.how().stop);
    Answer answer{json::array(), {}};
    char line[200];
    std::snprintf(line, sizeof line, "%-32s %-14s %-32s %s\n", "arm", "payload",
        "where it stands: poses, margin, cycle", "at its best base");
    answer.words = line;
    for (const study::ArmChoice& c : choices) {
        answer.result.push_back({{"model", c.id}, {"name", c.name}, {"solver", c.solver}, {"present", c.present},
            {"payload_kg", c.payload}, {"load_kg", tidy(c.load)}, {"here", mounted(c.here)}});
        if (c.best) {
            json best = mounted(*c.best);
            best["x_mm"] = tidy(c.best_x * 1e3), best["y_mm"] = tidy(c.best_y * 1e3),
            best["turn_deg"] = tidy(c.best_turn / geometry::degree);
            answer.result.back()["best"] = best;
        }
        char payload[40];
        std::snprintf(payload, sizeof payload, "%s%.1f of %.0f kg", c.load > c.payload ? "! " : "", c.load, c.payload);
        std::snprintf(
            line, sizeof line, "%-32s %-14s ", ((c.present ? "* " : "  ") + c.name).substr(0, 80).c_str(), payload);
        answer.words +=
            line + mounted_words(c.here) + "     " + (c.best ? mounted_words(*c.best) : "nowhere reaches every pose") + "\n";
    }
    return answer;
}

}  // namespace

void add_arm_questions(std::vector<Question>& all) {
    const cell::Field arm = of(cell::Field::Type::device, "arm", "id of the arm");
    all.push_back({"which-arm",
        "every arm of the catalogue and the file given an arm's task: poses, margin, payload, cycle, where it stands "
        "and at its best base",
        {arm}, which_arm});
    all.push_back(
        {"base-field", "where an arm's base may stand so that it reaches every pose of its task", {arm}, base_field});
}

}  // namespace escarp::exchange
