#pragma once
// Answers of studies as JSON and as tables.

#include <cell/text/json.h>
#include <study/ask.h>

namespace escarp::exchange {

using cell::json;

/// Mean, interval and count of every figure in the runs.
json replicated_json(const study::Replicated& found);
json ranking_json(const study::Ranking& ranking, const study::Measure& by, const std::vector<std::string>& ids);
json gains_json(const study::Gains& gains);
json answer_json(const study::Answered& answer);
/// One line for each point: what was varied, the figures with their intervals, what it lacks.
std::string answer_csv(const study::Answered& answer);

}  // namespace escarp::exchange
