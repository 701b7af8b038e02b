#include "question.h"

#include <cstdio>
#include <cstring>

#include <cell/text/disk.h>

namespace escarp::exchange {
namespace {

/// Reads the options for `act`, and tells what does not fit.
template <typename Act>
Answer with_options(const cell::Fields& table, const json& said, Act act) {
    std::vector<cell::Problem> problems;
    const cell::Reader reader(said, "", problems);
    const cell::Values options(reader, table);
    options.check();
    if (!problems.empty()) throw cell::InputError(std::move(problems));
    Answer answer = act(options);
    if (!problems.empty()) throw cell::InputError(std::move(problems));
    return answer;
}

}  // namespace

std::shared_ptr<const study::Evaluation> Asked::evaluation(double at_least_s) {
    study::EvaluateOptions how = how_;
    if (at_least_s > 0) how.run.at_least_s = std::max(60.0, at_least_s);
    return study::evaluate(layout_, cache_, how);
}

int Asked::arm() const {
    const std::string id = options_.text("arm");
    const int index = cell().device(id);
    if (index >= 0 && cell().devices[index].arm) return index;
    std::string known;
    for (const cell::Device& d : cell().devices)
        if (d.arm) known += (known.empty() ? "" : ", ") + d.id;
    throw cell::InputError(
        "--arm", "\"" + id + "\" is not the id of an arm; the cell has " + (known.empty() ? "none" : known) + ".");
}

const std::vector<Question>& questions() {
    static const std::vector<Question> all = [] {
        std::vector<Question> list;
        add_figure_questions(list);
        add_motion_questions(list);
        add_arm_questions(list);
        add_calibration_questions(list);
        add_signal_questions(list);
        add_clearance_question(list);
        add_zone_questions(list);
        add_people_question(list);
        add_shape_question(list);
        add_study_questions(list);
        return list;
    }();
    return all;
}

const std::vector<Exporter>& exporters() {
    static const std::vector<Exporter> all = [] {
        std::vector<Exporter> list;
        add_drawing_exporter(list);
        add_placements_exporter(list);
        add_io_exporter(list);
        add_urdf_exporter(list);
        add_swept_exporter(list);
        add_arbiter_exporter(list);
        add_controller_exporter(list);
        add_report_exporter(list);
        return list;
    }();
    return all;
}

Answer ask(const Question& question, const cell::Layout& layout, const json& said, const study::EvaluateOptions& how) {
    return with_options(question.options, said, [&](const cell::Values& options) {
        Asked asked(layout, options, how);
        return question.answer(asked);
    });
}

Answer export_to(const Exporter& exporter, const cell::Layout& layout, const json& said, const std::string& file,
    const study::EvaluateOptions& how) {
    return with_options(exporter.options, said, [&](const cell::Values& options) {
        Asked asked(layout, options, how);
        if (!file.empty() && exporter.write) return exporter.write(asked, file);
        if (!exporter.text) throw cell::InputError("--out", "The file to write is expected.");
        const std::string text = exporter.text(asked);
        if (!file.empty()) cell::write_file(file, text);
        return Answer{{{"text", text}}, file.empty() ? text : file + "\n"};
    });
}

cell::Field horizon_option() {
    return cell::field::number("horizon", "seconds to simulate at most", 0.001, 1e6).lacking();
}

std::string formatted(const json& value, const char* format, const char* none) {
    if (!value.is_number()) return none;
    char text[64];
    std::snprintf(text, sizeof text, format, value.get<double>());
    return text;
}

}  // namespace escarp::exchange
