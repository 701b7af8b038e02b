// From tokens to blocks whose statements refer to variables by number and whose expressions have types.

#include <algorithm>
#include <map>
#include <set>
#include <utility>

#include "unit.h"

namespace escarp::controller {
namespace {

using Function = Expression::Function;
constexpr std::size_t most_variables = 200'000;

const std::set<std::string>& reserved() {
    static const std::set<std::string> words{"PROGRAM", "END_PROGRAM", "FUNCTION_BLOCK", "END_FUNCTION_BLOCK", "VAR",
        "VAR_INPUT", "VAR_OUTPUT", "END_VAR", "CONSTANT", "AT", "IF", "THEN", "ELSIF", "ELSE", "END_IF", "CASE", "OF",
        "END_CASE", "FOR", "TO", "BY", "DO", "END_FOR", "WHILE", "END_WHILE", "REPEAT", "UNTIL", "END_REPEAT", "EXIT",
        "RETURN", "AND", "OR", "XOR", "NOT", "MOD", "TRUE", "FALSE", "BOOL", "INT", "DINT", "REAL", "TIME"};
    return words;
}

std::optional<Type> type_named(const std::string& name) {
    for (const Type t : {Type::boolean, Type::integer, Type::long_integer, Type::real, Type::time})
        if (name == word(t)) return t;
    return std::nullopt;
}

std::string quoted(const Token& t) {
    return t.kind == Token::Kind::end ? "the end of the text" : "\"" + t.written + "\"";
}

/// Whether every value of one type is one of the other.
bool widens(Type from, Type to) {
    return from == to || (from == Type::integer && (to == Type::long_integer || to == Type::real)) ||
           (from == Type::long_integer && to == Type::real);
}

class Compiler {
public:
    explicit Compiler(std::string_view text) : tokens_(tokens_of(text)) {
        for (const auto& block : standard_blocks())
            known_[block->name] = block, sizes_[block->name] = block->variables.size();
    }

    std::shared_ptr<const BlockType> all() {
        std::shared_ptr<const BlockType> program;
        while (peek().kind != Token::Kind::end) {
            const bool is_program = peek().text == "PROGRAM";
            if (!is_program && peek().text != "FUNCTION_BLOCK") throw expected("PROGRAM or FUNCTION_BLOCK");
            auto block = declaration();
            if (is_program) program = block;
            else known_[block->name] = block;
        }
        if (!program)
            throw Mistake(peek().at, "There is no PROGRAM in this text; PROGRAM ... END_PROGRAM is expected.");
        return program;
    }

private:
    // Tokens.
    const Token& peek(std::size_t ahead = 0) const { return tokens_[std::min(at_ + ahead, tokens_.size() - 1)]; }
    Token take() { return at_ + 1 < tokens_.size() ? tokens_[at_++] : tokens_.back(); }
    Mistake expected(const std::string& what) const {
        return Mistake(peek().at, "Found " + quoted(peek()) + "; " + what + " is expected.");
    }
    bool is(const char* text) const {
        return (peek().kind == Token::Kind::name || peek().kind == Token::Kind::sign) && peek().text == text;
    }
    bool accept(const char* text) {
        if (!is(text)) return false;
        take();
        return true;
    }
    Token expect(const char* text) {
        if (!is(text)) throw expected(text);
        return take();
    }
    Token new_name(const char* of_what) {
        if (peek().kind != Token::Kind::name || reserved().count(peek().text)) throw expected(of_what);
        return take();
    }

    // Declarations.
    std::shared_ptr<const BlockType> declaration() {
        const bool is_program = take().text == "PROGRAM";
        const Token name = new_name("a name");
        if (known_.count(name.text))
            throw Mistake(name.at, "There is a block with the name " + name.written + " already.");
        auto made = std::make_shared<BlockType>();
        made->name = name.text;
        block_ = made.get();
        size_ = 0;
        while (is("VAR") || is("VAR_INPUT") || is("VAR_OUTPUT")) variables(is_program);
        made->body = statements({is_program ? "END_PROGRAM" : "END_FUNCTION_BLOCK"});
        take();
        accept(";");
        sizes_[made->name] = size_ + made->variables.size();
        return made;
    }
    void variables(bool of_program) {
        const std::string section = take().text;
        Variable::Role role = section == "VAR_INPUT"    ? Variable::Role::input
                              : section == "VAR_OUTPUT" ? Variable::Role::output
                                                        : Variable::Role::local;
        if (role == Variable::Role::local && accept("CONSTANT")) role = Variable::Role::constant;
        while (!accept("END_VAR")) {
            std::vector<Token> names{new_name("the name of a variable, or END_VAR,")};
            while (accept(",")) names.push_back(new_name("the name of a variable"));
            Variable v;
            v.role = role;
            Position located = peek().at;
            if (accept("AT")) {
                located = peek().at;
                v.address = peek().kind == Token::Kind::address ? address_of(peek().text) : std::nullopt;
                if (!v.address)
                    throw expected(
                        "an address such as %IX0.0, %QW2 or %MD4 (below " + std::to_string(most_bytes) + " bytes)");
                take();
                if (!of_program) throw Mistake(located, "Variables of a function block have no addresses.");
                if (names.size() > 1) throw Mistake(located, "One address goes with one name.");
            }
            expect(":");
            const Token type = new_type();
            if (const auto simple = type_named(type.text)) {
                v.type = *simple;
                const int bits = v.type == Type::boolean ? 1 : v.type == Type::integer ? 16 : 32;
                if (v.address && v.address->bits != bits)
                    throw Mistake(located, "A " + std::string(word(v.type)) + " takes " + std::to_string(bits) +
                                               (bits == 1 ? " bit" : " bits") + "; " + v.address->text() + " has " +
                                               std::to_string(v.address->bits) + ".");
            } else {
                v.block = known_.at(type.text);
                // A block of blocks of blocks takes room for each.
                size_ += names.size() * sizes_[type.text];
                if (size_ > most_variables)
                    throw Mistake(type.at, "These are more than " + std::to_string(most_variables) + " variables.");
                if (v.address) throw Mistake(located, "An instance of a block has no address.");
            }
            if (is(":=")) {
                take();
                if (v.block)
                    throw Mistake(peek().at, "An instance of a block begins as its block says; no value is expected.");
                const ExpressionPtr start = converted(constant(), v.type);
                v.start = kept(start->value, v.type);
            }
            expect(";");
            for (const Token& name : names) {
                if (block_->variable(name.text) >= 0)
                    throw Mistake(name.at, "There is a variable with the name " + name.written + " already.");
                v.name = name.text, v.written = name.written;
                if (v.address)
                    for (const Variable& other : block_->variables)
                        if (other.address && other.address->text() == v.address->text())
                            throw Mistake(
                                located, other.written + " has the address " + v.address->text() + " already.");
                block_->variables.push_back(v);
            }
        }
    }
    Token new_type() {
        const Token t = peek();
        if (t.kind == Token::Kind::name && (type_named(t.text) || known_.count(t.text))) return take();
        throw expected("a type (BOOL, INT, DINT, REAL, TIME) or the name of a function block declared above");
    }
    /// A literal, with a sign perhaps.
    ExpressionPtr constant() {
        const ExpressionPtr e = unary();
        if (e->kind != Expression::Kind::literal)
            throw Mistake(e->at, "A value that does not depend on others is expected.");
        return e;
    }

    // Statements.
    bool ends(const std::vector<const char*>& endings) const {
        return std::any_of(endings.begin(), endings.end(), [&](const char* e) { return is(e); });
    }
    Statements statements(const std::vector<const char*>& endings) {
        Statements all;
        while (!ends(endings)) {
            const bool other_end = peek().kind == Token::Kind::name && peek().text.rfind("END_", 0) == 0;
            if (peek().kind == Token::Kind::end || other_end) throw expected(endings.front());
            if (accept(";")) continue;
            if (endings.size() > 1 && at_case_label()) return all;
            all.push_back(statement());
        }
        return all;
    }
    /// Within CASE: values and a colon.
    bool at_case_label() const {
        if (!in_case_) return false;
        std::size_t i = 0;
        if (peek(i).text == "-") ++i;
        return peek(i).kind == Token::Kind::whole &&
               (peek(i + 1).text == ":" || peek(i + 1).text == "," || peek(i + 1).text == "..");
    }
    /// While it lives, one level deeper. Throws Mistake.
    struct Deeper {
        explicit Deeper(Compiler& c) : compiler(c) {
            if (++compiler.depth_ > 200) throw Mistake(compiler.peek().at, "This is nested too deep (200 levels).");
        }
        ~Deeper() { --compiler.depth_; }
        Deeper(const Deeper&) = delete;
        Deeper& operator=(const Deeper&) = delete;
        Compiler& compiler;
    };
    Statement statement() {
        const Deeper deeper(*this);
        Statement s;
        s.at = peek().at;
        if (accept("IF")) return condition(s);
        if (accept("CASE")) return selection(s);
        if (accept("FOR")) return counting(s);
        if (accept("WHILE")) {
            s.kind = Statement::Kind::loop;
            s.value = of_type(expression(), Type::boolean);
            expect("DO");
            s.body = within_loop("END_WHILE");
            expect(";");
            return s;
        }
        if (accept("REPEAT")) {
            s.kind = Statement::Kind::repeat;
            ++loops_;
            s.body = plain_statements({"UNTIL"});
            --loops_;
            take();
            s.value = of_type(expression(), Type::boolean);
            expect("END_REPEAT");
            expect(";");
            return s;
        }
        if (is("EXIT")) {
            if (loops_ == 0) throw Mistake(peek().at, "EXIT stands in no loop.");
            take(), expect(";");
            s.kind = Statement::Kind::leave;
            return s;
        }
        if (accept("RETURN")) {
            expect(";");
            s.kind = Statement::Kind::finish;
            return s;
        }
        return assignment_or_call(s);
    }
    Statements plain_statements(const std::vector<const char*>& endings) {
        const bool outer = std::exchange(in_case_, false);
        Statements all = statements(endings);
        in_case_ = outer;
        return all;
    }
    Statements within_loop(const char* ending) {
        ++loops_;
        Statements all = plain_statements({ending});
        --loops_;
        take();
        return all;
    }
    Statement condition(Statement& s) {
        s.kind = Statement::Kind::choose;
        for (bool first = true;; first = false) {
            Statement::Branch b;
            if (first || accept("ELSIF")) {
                b.when = of_type(expression(), Type::boolean);
                expect("THEN");
            } else if (!accept("ELSE")) {
                break;
            }
            const bool last = !b.when;
            b.body = plain_statements(
                last ? std::vector<const char*>{"END_IF"} : std::vector<const char*>{"END_IF", "ELSIF", "ELSE"});
            s.branches.push_back(std::move(b));
            if (last) break;
        }
        expect("END_IF"), expect(";");
        return s;
    }
    std::int64_t label() {
        const ExpressionPtr e = constant();
        if (!whole(e->type)) throw Mistake(e->at, "A whole number is expected.");
        return e->value.whole;
    }
    Statement selection(Statement& s) {
        s.kind = Statement::Kind::select;
        s.value = expression();
        if (!whole(s.value->type))
            throw Mistake(
                s.value->at, "CASE selects by an INT or DINT; this is a " + std::string(word(s.value->type)) + ".");
        expect("OF");
        while (!is("END_CASE")) {
            Statement::Branch b;
            const bool last = accept("ELSE");
            if (!last) {
                do {
                    const std::int64_t from = label();
                    b.values.emplace_back(from, accept("..") ? label() : from);
                } while (accept(","));
                expect(":");
            }
            const bool outer = std::exchange(in_case_, true);
            b.body = statements({"END_CASE", "ELSE"});
            in_case_ = outer;
            s.branches.push_back(std::move(b));
            if (last) break;
        }
        expect("END_CASE"), expect(";");
        return s;
    }
    Statement counting(Statement& s) {
        s.kind = Statement::Kind::count;
        const Position at = peek().at;
        const auto [path, variable] = place();
        if (!whole(variable->type) || variable->block) throw Mistake(at, "FOR counts in an INT or DINT.");
        writable(*variable, at, path);
        s.path = path;
        expect(":=");
        s.from = converted(expression(), variable->type);
        expect("TO");
        s.to = converted(expression(), variable->type);
        if (accept("BY")) s.by = converted(expression(), variable->type);
        expect("DO");
        s.body = within_loop("END_FOR");
        expect(";");
        return s;
    }
    static void writable(const Variable& v, Position at, const Path& path) {
        if (v.role == Variable::Role::constant) throw Mistake(at, v.written + " is a constant.");
        if (!path.blocks.empty() && v.role != Variable::Role::input)
            throw Mistake(at, v.written + " of another block can only be read.");
        if (v.address && v.address->area == Address::Area::input)
            throw Mistake(at, v.written + " is an input (" + v.address->text() + "); the cell sets it.");
    }
    Statement assignment_or_call(Statement& s) {
        const Position at = peek().at;
        const auto [path, variable] = place();
        s.path = path;
        if (variable->block) return call(s, *variable);
        writable(*variable, at, path);
        s.kind = Statement::Kind::assign;
        if (!is(":=")) throw expected(":=");
        take();
        s.value = converted(expression(), variable->type);
        expect(";");
        return s;
    }
    Statement call(Statement& s, const Variable& instance) {
        s.kind = Statement::Kind::call;
        s.path.blocks.push_back(s.path.variable), s.path.variable = -1;
        expect("(");
        while (!is(")")) {
            const Token name = peek();
            if (name.kind != Token::Kind::name)
                throw expected("the name of an input or output of " + instance.block->name);
            take();
            const int which = instance.block->variable(name.text);
            const Variable* v = which < 0 ? nullptr : &instance.block->variables[static_cast<std::size_t>(which)];
            if (!v || (v->role != Variable::Role::input && v->role != Variable::Role::output))
                throw Mistake(name.at, name.written + " is no input or output of " + instance.block->name +
                                           "; it has " + inputs_of(*instance.block) + ".");
            if (accept(":=")) {
                if (v->role != Variable::Role::input)
                    throw Mistake(name.at, name.written + " is an output; => is expected.");
                s.given.emplace_back(which, converted(expression(), v->type));
            } else if (accept("=>")) {
                if (v->role != Variable::Role::output)
                    throw Mistake(name.at, name.written + " is an input; := is expected.");
                const Position at = peek().at;
                const auto [to, target] = place();
                if (target->block) throw Mistake(at, target->written + " is a block; a variable is expected.");
                writable(*target, at, to);
                if (!widens(v->type, target->type)) throw Mistake(at, mismatch(v->type, target->type));
                s.taken.emplace_back(which, to);
            } else {
                throw expected(":= or =>");
            }
            if (!is(")")) expect(",");
        }
        take(), expect(";");
        return s;
    }
    static std::string inputs_of(const BlockType& block) {
        std::string all;
        for (const Variable& v : block.variables)
            if (v.role == Variable::Role::input || v.role == Variable::Role::output)
                all += (all.empty() ? "" : ", ") + v.written;
        return all.empty() ? "none" : all;
    }
    /// A variable of this block, or of an instance in it.
    std::pair<Path, const Variable*> place() {
        const Token name = new_name("a statement or the name of a variable");
        Path path;
        path.variable = block_->variable(name.text);
        if (path.variable < 0) throw Mistake(name.at, "There is no variable with the name " + name.written + ".");
        const Variable* v = &block_->variables[static_cast<std::size_t>(path.variable)];
        while (is(".")) {
            take();
            if (!v->block) throw Mistake(peek().at, v->written + " is a " + word(v->type) + "; it has no parts.");
            const Token part =
                peek().kind == Token::Kind::name ? take() : throw expected("the name of an input or output");
            const int which = v->block->variable(part.text);
            const Variable* inner = which < 0 ? nullptr : &v->block->variables[static_cast<std::size_t>(which)];
            if (!inner || inner->role == Variable::Role::local)
                throw Mistake(part.at, part.written + " is no input or output of " + v->block->name + "; it has " +
                                           inputs_of(*v->block) + ".");
            path.blocks.push_back(path.variable);
            path.variable = which;
            v = inner;
        }
        return {path, v};
    }

    // Expressions, from the loosest to the tightest.
    ExpressionPtr expression() {
        const Deeper deeper(*this);
        return two({"OR"}, [&] {
            return two({"XOR"}, [&] {
                return two({"AND", "&"}, [&] {
                    return two({"=", "<>"}, [&] {
                        return two({"<", ">", "<=", ">="}, [&] {
                            return two({"+", "-"}, [&] { return two({"*", "/", "MOD"}, [&] { return unary(); }); });
                        });
                    });
                });
            });
        });
    }
    template <typename Next>
    ExpressionPtr two(const std::vector<const char*>& signs, const Next& next) {
        ExpressionPtr left = next();
        while (ends(signs)) {
            const Token sign = take();
            left = joined(sign, left, next());
        }
        return left;
    }
    static std::shared_ptr<Expression> made(
        Expression::Kind kind, Type type, Position at, std::vector<ExpressionPtr> of = {}) {
        auto e = std::make_shared<Expression>();
        e->kind = kind, e->type = type, e->at = at, e->of = std::move(of);
        return e;
    }
    ExpressionPtr joined(const Token& sign, ExpressionPtr a, ExpressionPtr b) {
        const std::string s = sign.text == "&" ? "AND" : sign.text;
        const auto wrong = [&] {
            return Mistake(sign.at, s + " does not go between a " + word(a->type) + " and a " + word(b->type) + ".");
        };
        Type result = Type::boolean;
        if (s == "AND" || s == "OR" || s == "XOR") {
            if (a->type != Type::boolean || b->type != Type::boolean) throw wrong();
        } else if (number(a->type) && number(b->type)) {
            const Type common = widens(a->type, b->type) ? b->type : a->type;
            a = converted(a, common), b = converted(b, common);
            if (s == "MOD" && !whole(common)) throw wrong();
            if (s == "+" || s == "-" || s == "*" || s == "/" || s == "MOD") result = common;
        } else if (a->type == Type::time && b->type == Type::time) {
            if (s == "*" || s == "/" || s == "MOD") throw wrong();
            if (s == "+" || s == "-") result = Type::time;
        } else if (a->type == Type::time && number(b->type) && (s == "*" || s == "/")) {
            b = converted(b, Type::real);
            result = Type::time;
        } else if (a->type != b->type || (s != "=" && s != "<>")) {
            throw wrong();
        }
        auto e = made(Expression::Kind::two, result, sign.at, {std::move(a), std::move(b)});
        e->sign = s;
        return e;
    }
    ExpressionPtr unary() {
        const Deeper deeper(*this);
        const Token sign = peek();
        if (accept("NOT"))
            return made(Expression::Kind::opposite, Type::boolean, sign.at, {of_type(unary(), Type::boolean)});
        if (accept("+")) return unary();
        if (accept("-")) {
            const ExpressionPtr e = unary();
            if (!number(e->type) && e->type != Type::time)
                throw Mistake(sign.at, "- does not go before a " + std::string(word(e->type)) + ".");
            if (e->kind == Expression::Kind::literal) {
                auto negative = std::make_shared<Expression>(*e);
                negative->value = {-e->value.whole, -e->value.real};
                if (whole(e->type)) negative->type = fitting(negative->value.whole);
                return negative;
            }
            return made(Expression::Kind::negative, e->type, sign.at, {e});
        }
        return primary();
    }
    static Type fitting(std::int64_t v) { return v >= -32'768 && v <= 32'767 ? Type::integer : Type::long_integer; }
    ExpressionPtr primary() {
        const Token t = peek();
        if (accept("(")) {
            ExpressionPtr e = expression();
            expect(")");
            return e;
        }
        auto literal = [&](Type type, Value value) {
            take();
            auto e = made(Expression::Kind::literal, type, t.at);
            e->value = value;
            return e;
        };
        switch (t.kind) {
            case Token::Kind::whole: return literal(fitting(t.number), {t.number, 0});
            case Token::Kind::real: return literal(Type::real, kept({0, t.real}, Type::real));
            case Token::Kind::time: return literal(Type::time, {t.number, 0});
            case Token::Kind::name: break;
            default: throw expected("a value");
        }
        if (t.text == "TRUE" || t.text == "FALSE") return literal(Type::boolean, {t.text == "TRUE", 0});
        if (peek(1).text == "(" && peek(1).kind == Token::Kind::sign && block_->variable(t.text) < 0) return function();
        if (reserved().count(t.text)) throw expected("a value");
        const auto [path, variable] = place();
        if (variable->block)
            throw Mistake(t.at, variable->written + " is a block; one of its outputs is expected (" +
                                    inputs_of(*variable->block) + ").");
        auto e = made(Expression::Kind::variable, variable->type, t.at);
        e->path = path;
        return e;
    }
    ExpressionPtr function() {
        const Token name = take();
        std::vector<ExpressionPtr> of;
        expect("(");
        if (!is(")")) {
            do of.push_back(expression());
            while (accept(","));
        }
        expect(")");
        const auto count = [&](std::size_t n) {
            if (of.size() != n)
                throw Mistake(
                    name.at, name.written + " takes " + std::to_string(n) + (n == 1 ? " value." : " values."));
        };
        const std::size_t to = name.text.find("_TO_");
        if (to != std::string::npos) {
            const auto a = type_named(name.text.substr(0, to)), b = type_named(name.text.substr(to + 4));
            if (a && b) {
                count(1);
                return made(Expression::Kind::convert, *b, name.at, {converted(of[0], *a)});
            }
        }
        static const std::map<std::string, std::pair<Function, std::size_t>> known{{"ABS", {Function::absolute, 1}},
            {"MIN", {Function::least, 2}}, {"MAX", {Function::most, 2}}, {"LIMIT", {Function::limit, 3}},
            {"SEL", {Function::select, 3}}, {"SQRT", {Function::root, 1}}, {"TRUNC", {Function::truncated, 1}}};
        const auto found = known.find(name.text);
        if (found == known.end())
            throw Mistake(
                name.at, "There is no function with the name " + name.written +
                             "; ABS, MIN, MAX, LIMIT, SEL, SQRT, TRUNC and conversions such as INT_TO_REAL are known.");
        count(found->second.second);
        const Function f = found->second.first;
        Type type = of.back()->type;
        std::size_t from = 0;
        if (f == Function::select) of[0] = of_type(of[0], Type::boolean), from = 1;
        if (f == Function::root || f == Function::truncated) of[0] = converted(of[0], Type::real), type = Type::real;
        for (std::size_t i = from; i < of.size(); ++i)
            if (widens(type, of[i]->type)) type = of[i]->type;
        for (std::size_t i = from; i < of.size(); ++i) of[i] = converted(of[i], type);
        if (f != Function::select && type == Type::boolean) throw Mistake(name.at, name.written + " takes numbers.");
        auto e =
            made(Expression::Kind::call, f == Function::truncated ? Type::long_integer : type, name.at, std::move(of));
        e->function = f;
        return e;
    }

    // Types.
    static std::string mismatch(Type found, Type wanted) {
        std::string words = "This is a " + std::string(word(found)) + "; a " + word(wanted) + " is expected";
        if (number(found) && number(wanted))
            words += " (" + std::string(word(found)) + "_TO_" + word(wanted) + " makes one)";
        return words + ".";
    }
    static ExpressionPtr of_type(ExpressionPtr e, Type type) {
        if (e->type != type) throw Mistake(e->at, mismatch(e->type, type));
        return e;
    }
    static ExpressionPtr converted(ExpressionPtr e, Type type) {
        if (e->type == type) return e;
        if (!widens(e->type, type)) throw Mistake(e->at, mismatch(e->type, type));
        if (e->kind == Expression::Kind::literal) {
            auto other = std::make_shared<Expression>(*e);
            if (type == Type::real) other->value = kept({0, static_cast<double>(e->value.whole)}, type);
            other->type = type;
            return other;
        }
        return made(Expression::Kind::convert, type, e->at, {e});
    }

    std::vector<Token> tokens_;
    std::size_t at_ = 0;
    std::map<std::string, std::shared_ptr<const BlockType>> known_;
    std::map<std::string, std::size_t> sizes_;  ///< variables of one, with those of all blocks in it
    std::size_t size_ = 0;                      ///< so far of the blocks in this one
    BlockType* block_ = nullptr;
    int loops_ = 0, depth_ = 0;
    bool in_case_ = false;
};

}  // namespace

std::shared_ptr<const BlockType> compile(std::string_view text) { return Compiler(text).all(); }

}  // namespace escarp::controller
