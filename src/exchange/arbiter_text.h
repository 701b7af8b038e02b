#pragma once
// The logic of an interlock for a controller: structured text (IEC 61131-3) and a table of states.

#include <string>

#include <cell/text/json.h>

namespace escarp::exchange {

/// `tree`: of a variant. A function block with the interlock's signals. Throws InputError where the device is no
/// interlock.
std::string arbiter_text(const cell::json& tree, const std::string& device);
/// CSV: who asks, who may, whose turn or who came first; and who may then.
std::string arbiter_table(const cell::json& tree, const std::string& device);

/// A name as IEC 61131-3 has them: letters, digits and single underscores.
std::string identifier(const std::string& name);
/// Words that nothing in them ends a comment.
std::string remark(std::string words);

}  // namespace escarp::exchange
