#include "machine.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace escarp::controller {
namespace {

constexpr long most_steps = 1'000'000;  // statements of one scan

Value read(const Image& image, const Variable& v) {
    const Address& a = *v.address;
    if (a.bits == 1) return {image.bit(a.byte, a.bit), 0};
    if (a.bits == 16) return {static_cast<std::int16_t>(image.word(a.byte)), 0};
    const std::uint32_t word = image.double_word(a.byte);
    if (v.type == Type::real) return {0, static_cast<double>(std::bit_cast<float>(word))};
    const std::int64_t number = static_cast<std::int32_t>(word);
    return {v.type == Type::time ? number * 1000 : number, 0};  // a time goes as milliseconds
}

void write(Image& image, const Variable& v, const Value& value) {
    const Address& a = *v.address;
    if (a.bits == 1) return image.set_bit(a.byte, a.bit, value.on());
    if (a.bits == 16) return image.set_word(a.byte, static_cast<std::uint16_t>(value.whole));
    if (v.type == Type::real)
        return image.set_double_word(a.byte, std::bit_cast<std::uint32_t>(static_cast<float>(value.real)));
    image.set_double_word(a.byte, static_cast<std::uint32_t>(v.type == Type::time ? value.whole / 1000 : value.whole));
}

double real_of(const Value& v, Type type) { return type == Type::real ? v.real : static_cast<double>(v.whole); }

/// To the nearest, halves away from zero; what is no number becomes 0.
std::int64_t rounded(double v) { return std::isfinite(v) ? std::llround(std::clamp(v, -9e18, 9e18)) : 0; }

Value converted(const Value& v, Type from, Type to) {
    if (to == Type::real)
        return kept({0, from == Type::time ? static_cast<double>(v.whole) / 1000 : real_of(v, from)}, to);
    if (from == Type::time) return kept({to == Type::boolean ? v.whole : v.whole / 1000, 0}, to);  // milliseconds
    if (to == Type::time) return {from == Type::real ? rounded(v.real * 1000) : v.whole * 1000, 0};
    if (from == Type::real) return to == Type::boolean ? Value{v.real != 0, 0} : kept({rounded(v.real), 0}, to);
    return kept(v, to);
}

}  // namespace

void Image::set_bit(int byte, int nth, bool on) {
    std::uint8_t& b = bytes_[static_cast<std::size_t>(byte)];
    const auto mask = static_cast<std::uint8_t>(1 << nth);
    b = static_cast<std::uint8_t>(on ? b | mask : b & ~mask);
}
std::uint16_t Image::word(int byte) const {
    const auto i = static_cast<std::size_t>(byte);
    return static_cast<std::uint16_t>(bytes_[i] | bytes_[i + 1] << 8);
}
void Image::set_word(int byte, std::uint16_t value) {
    const auto i = static_cast<std::size_t>(byte);
    bytes_[i] = static_cast<std::uint8_t>(value & 0xff), bytes_[i + 1] = static_cast<std::uint8_t>(value >> 8);
}
void Image::set_double_word(int byte, std::uint32_t value) {
    set_word(byte, static_cast<std::uint16_t>(value & 0xffff));
    set_word(byte + 2, static_cast<std::uint16_t>(value >> 16));
}

Machine::Machine(std::shared_ptr<const BlockType> program) : program_(std::move(program)), all_(made(*program_)) {
    watch(*program_, "", {});
    for (const Variable& v : program_->variables) {
        if (!v.address) continue;
        int& used = used_[static_cast<std::size_t>(v.address->area)];
        used = std::max(used, v.address->byte + (v.address->bits + 7) / 8);
        if (v.address->area != Address::Area::input)
            write(images_[static_cast<std::size_t>(v.address->area)], v, v.start);
    }
}

Machine::Instance Machine::made(const BlockType& type) {
    Instance out{&type, {}};
    for (std::size_t i = 0; i < type.variables.size(); ++i) {
        const Variable& v = type.variables[i];
        out.values.push_back(v.start);
        if (v.block) out.blocks.emplace(static_cast<int>(i), made(*v.block));
    }
    return out;
}

Machine::Instance& Machine::inside(Instance& at, const std::vector<int>& blocks) {
    Instance* now = &at;
    for (const int b : blocks) now = &now->blocks.at(b);
    return *now;
}
const Machine::Instance& Machine::inside(const Instance& at, const std::vector<int>& blocks) {
    const Instance* now = &at;
    for (const int b : blocks) now = &now->blocks.at(b);
    return *now;
}

void Machine::watch(const BlockType& type, const std::string& before, const std::vector<int>& blocks) {
    for (std::size_t i = 0; i < type.variables.size(); ++i) {
        const Variable& v = type.variables[i];
        if (v.block) {
            std::vector<int> deeper = blocks;
            deeper.push_back(static_cast<int>(i));
            watch(*v.block, before + v.written + ".", deeper);
        } else if (!(type.standard && v.role == Variable::Role::local)) {
            watched_.push_back(
                {before + v.written, v.type, v.address ? v.address->text() : "", {blocks, static_cast<int>(i)}});
        }
    }
}

Value Machine::value(std::size_t i) const {
    const Path& p = watched_.at(i).path;
    return inside(all_, p.blocks).values[static_cast<std::size_t>(p.variable)];
}
std::string Machine::value_text(std::size_t i) const { return text_of(value(i), watched_.at(i).type); }

void Machine::force(std::size_t i, std::optional<Value> value) {
    watched_.at(i).forced = value.has_value();
    if (value) forced_[i] = *value;
    else forced_.erase(i);
    hold_forced();
}
int Machine::variable(const std::string& name) const {
    const std::string wanted = capitals(name);
    for (std::size_t i = 0; i < watched_.size(); ++i)
        if (capitals(watched_[i].name) == wanted) return static_cast<int>(i);
    return -1;
}
void Machine::hold_forced() {
    for (const auto& [i, value] : forced_) {
        const Path& p = watched_[i].path;
        inside(all_, p.blocks).values[static_cast<std::size_t>(p.variable)] = value;
    }
}

std::vector<Address> Machine::located(Address::Area area) const {
    std::vector<Address> all;
    for (const Variable& v : program_->variables)
        if (v.address && v.address->area == area) all.push_back(*v.address);
    return all;
}

void Machine::scan(std::int64_t now) {
    now_ = now, steps_ = 0;
    const std::vector<Variable>& variables = program_->variables;
    for (std::size_t i = 0; i < variables.size(); ++i)
        if (const auto& a = variables[i].address)
            all_.values[i] = read(images_[static_cast<std::size_t>(a->area)], variables[i]);
    hold_forced();
    run(all_, program_->body);
    hold_forced();
    for (std::size_t i = 0; i < variables.size(); ++i)
        if (const auto& a = variables[i].address; a && a->area != Address::Area::input)
            write(images_[static_cast<std::size_t>(a->area)], variables[i], all_.values[i]);
}

void Machine::tick(Position at) {
    if (++steps_ > most_steps)
        throw Mistake(at, "The scan has not come to an end after " + std::to_string(most_steps) + " statements.");
}

Machine::Then Machine::run(Instance& at, const Statements& statements) {
    for (const Statement& s : statements)
        if (const Then then = run(at, s); then != Then::on) return then;
    return Then::on;
}

Machine::Then Machine::run(Instance& at, const Statement& s) {
    tick(s.at);
    using Kind = Statement::Kind;
    switch (s.kind) {
        case Kind::assign: {
            const Value v = worth(at, *s.value);
            Instance& to = inside(at, s.path.blocks);
            const auto which = static_cast<std::size_t>(s.path.variable);
            to.values[which] = kept(v, to.type->variables[which].type);
            return Then::on;
        }
        case Kind::call: call(at, s); return Then::on;
        case Kind::choose:
            for (const Statement::Branch& b : s.branches)
                if (!b.when || worth(at, *b.when).on()) return run(at, b.body);
            return Then::on;
        case Kind::select: {
            const std::int64_t v = worth(at, *s.value).whole;
            for (const Statement::Branch& b : s.branches)
                if (b.values.empty() || std::any_of(b.values.begin(), b.values.end(),
                                            [&](const auto& range) { return v >= range.first && v <= range.second; }))
                    return run(at, b.body);
            return Then::on;
        }
        case Kind::count: return count(at, s);
        case Kind::loop:
            while (worth(at, *s.value).on()) {
                tick(s.at);
                const Then then = run(at, s.body);
                if (then == Then::finish) return then;
                if (then == Then::leave) break;
            }
            return Then::on;
        case Kind::repeat:
            do {
                tick(s.at);
                const Then then = run(at, s.body);
                if (then == Then::finish) return then;
                if (then == Then::leave) break;
            } while (!worth(at, *s.value).on());
            return Then::on;
        case Kind::leave: return Then::leave;
        case Kind::finish: return Then::finish;
    }
    return Then::on;
}

Machine::Then Machine::count(Instance& at, const Statement& s) {
    Instance& owner = inside(at, s.path.blocks);
    const auto which = static_cast<std::size_t>(s.path.variable);
    const Type type = owner.type->variables[which].type;
    const std::int64_t last = worth(at, *s.to).whole, by = s.by ? worth(at, *s.by).whole : 1;
    if (by == 0) throw Mistake(s.at, "FOR goes on by 0.");
    std::int64_t now = worth(at, *s.from).whole;
    for (;; now += by) {
        owner.values[which] = kept({now, 0}, type);
        if (by > 0 ? now > last : now < last) return Then::on;
        tick(s.at);
        const Then then = run(at, s.body);
        if (then == Then::finish) return then;
        if (then == Then::leave) return Then::on;
        now = owner.values[which].whole;
    }
}

void Machine::call(Instance& at, const Statement& s) {
    Instance& block = inside(at, s.path.blocks);
    for (const auto& [input, e] : s.given) {
        const auto which = static_cast<std::size_t>(input);
        block.values[which] = kept(worth(at, *e), block.type->variables[which].type);
    }
    if (block.type->standard) block.type->standard(block.values, now_);
    else run(block, block.type->body);
    for (const auto& [output, path] : s.taken) {
        Instance& to = inside(at, path.blocks);
        const auto from = static_cast<std::size_t>(output), which = static_cast<std::size_t>(path.variable);
        to.values[which] =
            converted(block.values[from], block.type->variables[from].type, to.type->variables[which].type);
    }
}

Value Machine::worth(const Instance& at, const Expression& e) const {
    using Kind = Expression::Kind;
    switch (e.kind) {
        case Kind::literal: return e.value;
        case Kind::variable: return inside(at, e.path.blocks).values[static_cast<std::size_t>(e.path.variable)];
        case Kind::opposite: return {!worth(at, *e.of[0]).on(), 0};
        case Kind::negative: {
            const Value v = worth(at, *e.of[0]);
            return kept({-v.whole, -v.real}, e.type);
        }
        case Kind::convert: return converted(worth(at, *e.of[0]), e.of[0]->type, e.type);
        case Kind::two: {
            const Value a = worth(at, *e.of[0]);
            return worth_of_two(e, a, worth(at, *e.of[1]));
        }
        case Kind::call: break;
    }
    std::vector<Value> of;
    of.reserve(e.of.size());
    for (const ExpressionPtr& one : e.of) of.push_back(worth(at, *one));
    const Type type = e.of.back()->type;
    const auto less = [&](const Value& a, const Value& b) {
        return type == Type::real ? a.real < b.real : a.whole < b.whole;
    };
    switch (e.function) {
        case Expression::Function::absolute: return kept({std::abs(of[0].whole), std::abs(of[0].real)}, type);
        case Expression::Function::least: return less(of[1], of[0]) ? of[1] : of[0];
        case Expression::Function::most: return less(of[0], of[1]) ? of[1] : of[0];
        case Expression::Function::limit: return less(of[1], of[0]) ? of[0] : less(of[2], of[1]) ? of[2] : of[1];
        case Expression::Function::select: return of[0].on() ? of[2] : of[1];
        case Expression::Function::root:
            if (of[0].real < 0)
                throw Mistake(e.at, "SQRT of " + text_of(of[0], Type::real) + "; no number has this square.");
            return kept({0, std::sqrt(of[0].real)}, Type::real);
        case Expression::Function::truncated:
            return kept(
                {static_cast<std::int64_t>(std::isfinite(of[0].real) ? std::clamp(of[0].real, -9e18, 9e18) : 0), 0},
                Type::long_integer);
        case Expression::Function::none: break;
    }
    return {};
}

Value Machine::worth_of_two(const Expression& e, const Value& a, const Value& b) const {
    const std::string& s = e.sign;
    const Type type = e.of[0]->type;
    const bool real = type == Type::real;
    if (s == "AND") return {a.on() && b.on(), 0};
    if (s == "OR") return {a.on() || b.on(), 0};
    if (s == "XOR") return {a.on() != b.on(), 0};
    if (s == "=") return {real ? a.real == b.real : a.whole == b.whole, 0};
    if (s == "<>") return {real ? a.real != b.real : a.whole != b.whole, 0};
    if (s == "<") return {real ? a.real < b.real : a.whole < b.whole, 0};
    if (s == ">") return {real ? a.real > b.real : a.whole > b.whole, 0};
    if (s == "<=") return {real ? a.real <= b.real : a.whole <= b.whole, 0};
    if (s == ">=") return {real ? a.real >= b.real : a.whole >= b.whole, 0};
    const auto wrapped = [](std::uint64_t v) { return static_cast<std::int64_t>(v); };
    const auto x = static_cast<std::uint64_t>(a.whole), y = static_cast<std::uint64_t>(b.whole);
    if (s == "+") return kept({wrapped(x + y), a.real + b.real}, e.type);
    if (s == "-") return kept({wrapped(x - y), a.real - b.real}, e.type);
    if (s == "*" && type == Type::time) return {rounded(static_cast<double>(a.whole) * b.real), 0};
    if (s == "*") return kept({wrapped(x * y), a.real * b.real}, e.type);
    const bool by_real = e.of[1]->type == Type::real;
    if (by_real ? b.real == 0 : b.whole == 0) throw Mistake(e.at, "It divides by 0 here.");
    if (type == Type::time) return {rounded(static_cast<double>(a.whole) / b.real), 0};
    if (s == "MOD") return kept({a.whole % b.whole, 0}, e.type);
    return real ? kept({0, a.real / b.real}, e.type) : kept({a.whole / b.whole, 0}, e.type);
}

}  // namespace escarp::controller
