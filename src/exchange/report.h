#pragma once
// A document that says in two minutes which layout and why: the question, the answer, drawings, figures, plots, what
// differs, findings, what was assumed.

#include <functional>
#include <string>
#include <variant>
#include <vector>

#include <study/ask.h>

struct _cairo;

namespace escarp::exchange {

struct ReportOptions {
    std::string question;          ///< empty: which layout is best
    std::string date;              ///< empty: today
    std::size_t repetitions = 30;  ///< of variants that chance has a say in
    std::string results;           ///< file of results of studies; empty: none are told of
};

/// What a report says, apart from how it is set.
struct Report {
    struct Heading {
        std::string text;
        int level;  ///< 1: of the whole
    };
    struct Text {
        std::string text;
        bool strong = false;
    };
    struct Table {
        std::vector<std::string> head;
        std::vector<std::vector<std::string>> rows;  ///< the first cell of each is its name
        std::vector<std::vector<bool>> best = {};    ///< cells that stand out
    };
    /// Drawn into a box of a width and a height, from its upper left corner.
    struct Picture {
        double wide_by_high;
        std::string caption;
        std::function<void(_cairo*, double width, double height)> draw;
    };
    using Block = std::variant<Heading, Text, Table, Picture>;
    std::vector<Block> blocks;
};

/// All variants of the document. Throws InputError, Cancelled.
Report make_report(const cell::Layout& layout, const ReportOptions& options, inspection::Cache& cache,
    const study::EvaluateOptions& how = {});

/// `file` ends in .pdf (A4 pages), .html (one file with everything in it) or .csv (the tables). Throws InputError.
void write_report(const Report& report, const std::string& file);

}  // namespace escarp::exchange
