#pragma once
// A program of structured text as it was understood: types of blocks with their variables and statements.

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "tokens.h"

namespace escarp::controller {

enum class Type { boolean, integer, long_integer, real, time };
const char* word(Type type);  ///< "BOOL", "INT", "DINT", "REAL", "TIME"
inline bool whole(Type type) { return type == Type::integer || type == Type::long_integer; }
inline bool number(Type type) { return whole(type) || type == Type::real; }

/// Of a BOOL 0 or 1, of a TIME microseconds; of a REAL `real` alone counts.
struct Value {
    std::int64_t whole = 0;
    double real = 0;
    bool on() const { return whole != 0; }
};
/// As it is kept in a variable: INT and DINT in 16 and 32 bits (two's complement), REAL in single precision.
Value kept(Value value, Type type);
std::string text_of(Value value, Type type);  ///< "TRUE", "12", "0.5", "T#2s"
/// The other way round; nullopt: it is none of this type.
std::optional<Value> value_of(const std::string& text, Type type);

/// "%IX0.3": inputs, outputs and memory, counted in bytes.
struct Address {
    enum class Area { input, output, memory } area = Area::input;
    int byte = 0, bit = 0;
    int bits = 1;  ///< 1 (X), 16 (W) or 32 (D)
    std::string text() const;
};
/// Of "IX0.3"; nullopt: it is none.
std::optional<Address> address_of(std::string_view text);
inline constexpr int most_bytes = 4096;  ///< of each area

struct BlockType;

struct Variable {
    enum class Role { local, input, output, constant };
    std::string name;  ///< in capitals
    std::string written;
    Role role = Role::local;
    Type type = Type::boolean;
    std::shared_ptr<const BlockType> block = nullptr;  ///< of an instance of one; then `type` does not count
    Value start = {};
    std::optional<Address> address = {};
};

/// A variable, seen from the block in which its name stands: through instances of other blocks.
struct Path {
    std::vector<int> blocks;  ///< variables that are instances
    int variable = -1;
};

struct Expression {
    enum class Kind { literal, variable, negative, opposite, two, convert, call };
    enum class Function { none, absolute, least, most, limit, select, root, truncated };
    Kind kind = Kind::literal;
    Type type = Type::boolean;
    Position at = {};
    Value value = {};                    ///< of a literal
    Path path = {};                      ///< of a variable
    std::string sign = {};               ///< between two
    Function function = Function::none;  ///< of a call
    std::vector<std::shared_ptr<const Expression>> of = {};
};
using ExpressionPtr = std::shared_ptr<const Expression>;

struct Statement;
using Statements = std::vector<Statement>;

struct Statement {
    enum class Kind { assign, call, choose, select, count, loop, repeat, leave, finish };
    struct Branch {
        ExpressionPtr when;                                              ///< null: else
        std::vector<std::pair<std::int64_t, std::int64_t>> values = {};  ///< of CASE: from, to
        Statements body;
    };
    Kind kind = Kind::assign;
    Position at = {};
    Path path = {};                             ///< what is assigned to, counted in, or called (the last of its blocks)
    ExpressionPtr value = {};                   ///< assigned; what is selected by; while or until
    ExpressionPtr from = {}, to = {}, by = {};  ///< of FOR
    std::vector<std::pair<int, ExpressionPtr>> given = {};  ///< to inputs of what is called
    std::vector<std::pair<int, Path>> taken = {};           ///< from its outputs
    std::vector<Branch> branches = {};
    Statements body = {};
};

/// A function block or the program. Those of the standard have a function instead of statements.
struct BlockType {
    std::string name;
    std::vector<Variable> variables;
    Statements body = {};
    /// Variables in their order; microseconds since the controller began.
    void (*standard)(std::vector<Value>& variables, std::int64_t now) = nullptr;
    int variable(const std::string& name) const;  ///< in capitals; -1
};

/// TON, TOF, TP, R_TRIG, F_TRIG, SR, RS, CTU, CTD (IEC 61131-3, 2.5.2.3).
const std::vector<std::shared_ptr<const BlockType>>& standard_blocks();

/// The program that a text declares, the last one if there are several. Throws Mistake.
std::shared_ptr<const BlockType> compile(std::string_view text);

}  // namespace escarp::controller
