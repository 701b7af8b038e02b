#pragma once
// What can be asked of a cell, and what can be handed on of it: each under a name with a table of its options, so that
// the command line (and whoever else lists them) need not know them one by one.

#include <functional>

#include <cell/model/field.h>
#include <study/figures.h>

namespace escarp::exchange {

using cell::json;

/// A question as it was put: what is asked about, and the options by its table.
class Asked {
public:
    Asked(const cell::Layout& layout, const cell::Values& options, const study::EvaluateOptions& how)
        : layout_(layout), options_(options), how_(how) {}

    const cell::Layout& layout() const { return layout_; }
    const cell::Cell& cell() const { return layout_.cell(); }
    const cell::Values& options() const { return options_; }
    const study::EvaluateOptions& how() const { return how_; }
    inspection::Cache& cache() { return cache_; }
    /// Of the layout. `at_least_s`: the run is looked at so long.
    std::shared_ptr<const study::Evaluation> evaluation(double at_least_s = 0);
    /// The arm that the option "arm" names. Throws InputError with those that there are.
    int arm() const;

private:
    const cell::Layout& layout_;
    const cell::Values& options_;
    study::EvaluateOptions how_;
    inspection::Cache cache_;
};

struct Answer {
    json result;
    std::string words;                    ///< the same for people
    bool stops = false;                   ///< there is a stop finding
    std::vector<std::string> notes = {};  ///< beside the result
    std::optional<cell::Edit> edit = {};  ///< that does what was asked about
};

struct Question {
    std::string name, help;
    cell::Fields options;
    std::function<Answer(Asked&)> answer;
    bool gives_edit = false;  ///< that can be made at once
};

/// In the order in which help lists them. A new one is a file in questions/ and a line here.
const std::vector<Question>& questions();

/// Writes something of a cell in an open format.
struct Exporter {
    std::string name, label, help;     ///< label: in menus
    std::vector<std::string> endings;  ///< of files, without the dot
    cell::Fields options;
    /// Throws InputError, also where the file cannot be written.
    std::function<Answer(Asked&, const std::string& file)> write;
    std::function<std::string(Asked&)> text = {};  ///< where it is text, without a file
};
const std::vector<Exporter>& exporters();

/// The options in the form of keys, checked against the table; the keys of `said` are those of the table.
/// Throws InputError.
Answer ask(
    const Question& question, const cell::Layout& layout, const json& said, const study::EvaluateOptions& how = {});
Answer export_to(const Exporter& exporter, const cell::Layout& layout, const json& said, const std::string& file,
    const study::EvaluateOptions& how = {});

void add_figure_questions(std::vector<Question>& all);
void add_motion_questions(std::vector<Question>& all);
void add_arm_questions(std::vector<Question>& all);
void add_calibration_questions(std::vector<Question>& all);
void add_signal_questions(std::vector<Question>& all);
void add_clearance_question(std::vector<Question>& all);
void add_people_question(std::vector<Question>& all);
void add_shape_question(std::vector<Question>& all);
void add_study_questions(std::vector<Question>& all);
void add_zone_questions(std::vector<Question>& all);
void add_report_exporter(std::vector<Exporter>& all);
void add_drawing_exporter(std::vector<Exporter>& all);
void add_placements_exporter(std::vector<Exporter>& all);
void add_io_exporter(std::vector<Exporter>& all);
void add_urdf_exporter(std::vector<Exporter>& all);
void add_swept_exporter(std::vector<Exporter>& all);
void add_arbiter_exporter(std::vector<Exporter>& all);
void add_controller_exporter(std::vector<Exporter>& all);

/// How long is simulated at most.
cell::Field horizon_option();
/// Of a question that runs a cell again and again, and that of all variants so compared.
cell::Fields spread_options();
Answer compare_with_spread(Asked& asked);

/// "84" with printf's format; `none` where it is no number.
std::string formatted(const json& value, const char* format, const char* none = "-");

}  // namespace escarp::exchange
