// The stand-in controller's language: against traces written by hand, and expressions evaluated a second time.

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include <controller/machine.h>

using namespace escarp::controller;

namespace {

/// The value of a variable after a program was gone through once.
std::string after(const std::string& variables, const std::string& body, const std::string& name = "x") {
    Machine m(compile("PROGRAM p VAR " + variables + " END_VAR " + body + " END_PROGRAM"));
    m.scan(0);
    return m.value_text(static_cast<std::size_t>(m.variable(name)));
}

std::string mistake(const std::string& text) {
    try {
        Machine m(compile(text));
        m.scan(0);
    } catch (const Mistake& problem) {
        return problem.what();
    }
    return "none";
}

/// One block, fed step by step: for each instant of `inputs` (0 or 1; every 100 ms) what its outputs are, in words.
std::string trace(const std::string& type, const std::string& call, const std::string& inputs,
    const std::vector<std::string>& outputs, std::int64_t every = 100'000) {
    std::string given;
    for (const char* name : {"a", "b"}) given += std::string(name) + " : BOOL; ";
    Machine m(compile("PROGRAM p VAR " + given + " t : " + type + "; END_VAR t(" + call + "); END_PROGRAM"));
    const auto a = static_cast<std::size_t>(m.variable("a")), b = static_cast<std::size_t>(m.variable("b"));
    std::string out;
    std::int64_t now = 0;
    for (const char c : inputs) {
        if (c == ' ') continue;
        m.force(a, Value{c == '1' || c == '3', 0}), m.force(b, Value{c == '2' || c == '3', 0});
        m.scan(now);
        now += every;
        std::string row;
        for (const std::string& o : outputs) {
            const std::string text = m.value_text(static_cast<std::size_t>(m.variable("t." + o)));
            row += (row.empty() ? "" : "/") + (text == "TRUE" ? "1" : text == "FALSE" ? "0" : text);
        }
        out += (out.empty() ? "" : " ") + row;
    }
    return out;
}

}  // namespace

TEST_CASE("each standard function block goes as the standard says, instant by instant") {
    // Every 100 ms; the input in the first row, Q/ET in the second.
    CHECK(trace("TON", "IN := a, PT := T#200ms", "0 1 1 1 1 0 1 0", {"Q", "ET"}) ==
          "0/T#0s 0/T#0s 0/T#100ms 1/T#200ms 1/T#200ms 0/T#0s 0/T#0s 0/T#0s");
    CHECK(trace("TOF", "IN := a, PT := T#200ms", "0 1 1 0 0 0 0 1 0 1", {"Q", "ET"}) ==
          "0/T#0s 1/T#0s 1/T#0s 1/T#0s 1/T#100ms 0/T#200ms 0/T#200ms 1/T#0s 1/T#0s 1/T#0s");
    CHECK(trace("TP", "IN := a, PT := T#200ms", "0 1 0 0 0 1 1 1 1 0", {"Q", "ET"}) ==
          "0/T#0s 1/T#0s 1/T#100ms 0/T#0s 0/T#0s 1/T#0s 1/T#100ms 0/T#200ms 0/T#200ms 0/T#0s");
    CHECK(trace("R_TRIG", "CLK := a", "0 1 1 0 1", {"Q"}) == "0 1 0 0 1");
    CHECK(trace("R_TRIG", "CLK := a", "1 1 0", {"Q"}) == "1 0 0");
    CHECK(trace("F_TRIG", "CLK := a", "0 1 1 0 0 1 0", {"Q"}) == "0 0 0 1 0 0 1");
    // 1: the first input, 2: the second, 3: both.
    CHECK(trace("SR", "S1 := a, R := b", "0 1 0 2 0 3 2", {"Q1"}) == "0 1 1 0 0 1 0");
    CHECK(trace("RS", "S := a, R1 := b", "0 1 0 2 0 3 1", {"Q1"}) == "0 1 1 0 0 0 1");
    CHECK(trace("CTU", "CU := a, R := b, PV := 2", "0 1 1 0 1 0 1 2 3 1", {"Q", "CV"}) ==
          "0/0 0/1 0/1 0/1 1/2 1/2 1/3 0/0 0/0 0/0");
    CHECK(trace("CTD", "CD := a, LD := b, PV := 2", "0 2 1 0 1 1 2 0 1", {"Q", "CV"}) ==
          "1/0 0/2 0/1 0/1 1/0 1/0 0/2 0/2 0/1");
}

TEST_CASE("statements do what they say") {
    CHECK(after("x : INT; i : INT;", "FOR i := 1 TO 10 DO IF i MOD 2 = 0 THEN x := x + i; END_IF; END_FOR;") == "30");
    CHECK(after("x : INT; i : INT;", "FOR i := 10 TO 1 BY -3 DO x := x * 10 + i MOD 10; END_FOR;") == "741");
    CHECK(after("x : INT;", "WHILE TRUE DO x := x + 1; IF x >= 7 THEN EXIT; END_IF; END_WHILE;") == "7");
    CHECK(after("x : INT;", "REPEAT x := x + 1; UNTIL x > 4 END_REPEAT;") == "5");
    CHECK(after("x : INT;", "x := 1; RETURN; x := 2;") == "1");
    for (const auto& [given, found] : {std::pair{"1", "10"}, {"2", "20"}, {"4", "20"}, {"-3", "30"}, {"9", "40"}})
        CHECK(after("x : INT; n : INT := " + std::string(given) + ";",
                  "CASE n OF 1: x := 10; 2, 4..6: x := 20; -3: x := 30; ELSE x := 40; END_CASE;") == found);
    CHECK(after("x : INT; n : INT := 7;", "CASE n OF 1: x := 10; END_CASE;") == "0");
    CHECK(after("x : INT;", "IF x > 0 THEN x := 1; ELSIF x = 0 THEN x := 2; ELSE x := 3; END_IF;") == "2");
    // INT and DINT are kept in 16 and 32 bits.
    CHECK(after("x : INT := 32767;", "x := x + 1;") == "-32768");
    CHECK(after("x : DINT; n : INT := 300;", "x := INT_TO_DINT(n) * n;") == "90000");
    CHECK(after("x : REAL;", "x := 7 / 2;") == "3.0");
    CHECK(after("x : REAL;", "x := 7 / 2.0;") == "3.5");
    CHECK(after("x : INT;", "x := REAL_TO_INT(2.5) + REAL_TO_INT(-2.5) + REAL_TO_INT(1.4);") == "1");
    CHECK(after("x : TIME;", "x := T#1m2s + T#500ms;") == "T#1m2s500ms");
    CHECK(after("x : TIME;", "x := T#1s * 1.5;") == "T#1s500ms");
    CHECK(after("x : INT;", "x := LIMIT(0, 12, 10) + MAX(1, 2) + MIN(3, 4) + ABS(-5) + SEL(TRUE, 1, 100);") == "120");
    CHECK(after("x : DINT;", "x := TRUNC(-2.9) + 16#FF + 2#101 + 1_000;") == "1258");
    CHECK(after("x : BOOL; a : BOOL := TRUE; b : BOOL;",
              "x := a XOR b AND NOT (b OR a) & TRUE; (* a (comment) *) // x\n") == "TRUE");
}

TEST_CASE("blocks of one's own keep what they know; their outputs are read after a dot or taken with =>") {
    const std::string text = R"(
FUNCTION_BLOCK twice
VAR_INPUT go : BOOL; END_VAR
VAR_OUTPUT n : INT; END_VAR
VAR edge : R_TRIG; END_VAR
edge(CLK := go);
IF edge.Q THEN n := n + 2; END_IF;
END_FUNCTION_BLOCK
PROGRAM main
VAR clock : BOOL; first : Twice; second : twice; x : INT; y : DINT; END_VAR
clock := NOT clock;
first(go := clock, n => x);
second(go := TRUE);
y := first.n * 10 + second.n;
END_PROGRAM)";
    Machine m(compile(text));
    for (int i = 0; i < 5; ++i) m.scan(i);
    CHECK(m.value_text(static_cast<std::size_t>(m.variable("x"))) == "6");
    CHECK(m.value_text(static_cast<std::size_t>(m.variable("Y"))) == "62");
    CHECK(m.variable("first.edge.Q") >= 0);
    CHECK(m.variable("first.edge.BEFORE") == -1);
}

TEST_CASE("addresses: what comes in is read before a scan, what goes out is written after it") {
    Machine m(compile(R"(PROGRAM main
VAR part AT %IX0.3 : BOOL; count AT %IW2 : INT; weight AT %ID4 : REAL;
    go AT %QX1.7 : BOOL; speed AT %QD4 : REAL := 1.5; far AT %QD8 : DINT; kept AT %MW10 : INT; END_VAR
go := part AND count > 3;
speed := weight * 2.0;
far := INT_TO_DINT(count) * -100000;
kept := kept + 1;
END_PROGRAM)"));
    CHECK(m.outputs().double_word(4) == 0x3FC00000);  // 1.5 before the first scan
    m.inputs().set_bit(0, 3, true), m.inputs().set_word(2, 4), m.inputs().set_double_word(4, 0x40490FDB);
    m.scan(0);
    CHECK(m.outputs().bit(1, 7));
    CHECK(m.outputs().double_word(4) == 0x40C90FDB);
    CHECK(static_cast<std::int32_t>(m.outputs().double_word(8)) == -400'000);
    m.scan(1);
    CHECK(m.value_text(static_cast<std::size_t>(m.variable("kept"))) == "2");
    CHECK(m.input_bytes() == 8);
    CHECK(m.output_bytes() == 12);
    // Held, whatever comes in.
    m.force(static_cast<std::size_t>(m.variable("part")), Value{0, 0});
    m.scan(2);
    CHECK_FALSE(m.outputs().bit(1, 7));
    m.force(static_cast<std::size_t>(m.variable("part")), std::nullopt);
    m.scan(3);
    CHECK(m.outputs().bit(1, 7));
}

TEST_CASE("a mistake is told with line, column, and what was expected") {
    CHECK(mistake("PROGRAM p\nVAR x : INT; END_VAR\n  x = 3;\nEND_PROGRAM") ==
          "line 3, column 5: Found \"=\"; := is expected.");
    CHECK(mistake("PROGRAM p\nVAR x : INT END_VAR\nEND_PROGRAM") ==
          "line 2, column 13: Found \"END_VAR\"; ; is expected.");
    CHECK(mistake("PROGRAM p\n\n y := 3; END_PROGRAM") == "line 3, column 2: There is no variable with the name y.");
    CHECK(mistake("PROGRAM p VAR x : BOOL; END_VAR x := 3; END_PROGRAM") ==
          "line 1, column 38: This is a INT; a BOOL is expected.");
    CHECK(mistake("PROGRAM p VAR x : INT; END_VAR x := 1.5; END_PROGRAM") ==
          "line 1, column 37: This is a REAL; a INT is expected (REAL_TO_INT makes one).");
    CHECK(mistake("PROGRAM p VAR x AT %IW0 : BOOL; END_VAR END_PROGRAM") ==
          "line 1, column 20: A BOOL takes 1 bit; %IW0 has 16.");
    CHECK(mistake("PROGRAM p VAR x AT %IX0.0 : BOOL; END_VAR x := TRUE; END_PROGRAM") ==
          "line 1, column 43: x is an input (%IX0.0); the cell sets it.");
    CHECK(mistake("PROGRAM p VAR t : TON; END_VAR t(INN := TRUE); END_PROGRAM") ==
          "line 1, column 34: INN is no input or output of TON; it has IN, PT, Q, ET.");
    CHECK(mistake("PROGRAM p VAR x : INT; END_VAR\nx := 1 / x; END_PROGRAM") ==
          "line 2, column 8: It divides by 0 here.");
    CHECK(mistake("PROGRAM p VAR END_VAR WHILE TRUE DO ; END_WHILE; END_PROGRAM") ==
          "line 1, column 23: The scan has not come to an end after 1000000 statements.");
    CHECK(mistake("PROGRAM p (* begins") ==
          "line 1, column 11: The comment that begins here has no end; *) is expected.");
    CHECK(mistake("") == "line 1, column 1: There is no PROGRAM in this text; PROGRAM ... END_PROGRAM is expected.");
    CHECK(mistake("PROGRAM p VAR x : INT; END_VAR IF x > 1 THEN x := 2; END_PROGRAM").find("END_IF is expected") !=
          std::string::npos);
    std::string deep = "PROGRAM p VAR x : INT; END_VAR x := ";
    for (int i = 0; i < 100'000; ++i) deep += "(";
    CHECK(mistake(deep).find("nested too deep") != std::string::npos);
}

namespace {

/// A random expression of INT, with what it comes to, worked out while it is written.
std::pair<std::string, std::int64_t> random_whole(std::mt19937& random, int depth);
std::pair<std::string, bool> random_condition(std::mt19937& random, int depth) {
    const auto [a, x] = random_whole(random, depth - 1);
    const auto [b, y] = random_whole(random, depth - 1);
    switch (random() % 6) {
        case 0: return {"(" + a + " < " + b + ")", x < y};
        case 1: return {"(" + a + " >= " + b + ")", x >= y};
        case 2: return {"(" + a + " = " + b + ")", x == y};
        case 3: return {"NOT (" + a + " <> " + b + ")", x == y};
        case 4: return {"(" + a + " > " + b + " XOR " + b + " > 5)", (x > y) != (y > 5)};
        default: return {"(" + a + " <= " + b + " OR " + a + " > 3 AND " + b + " < 7)", x <= y || (x > 3 && y < 7)};
    }
}
std::pair<std::string, std::int64_t> random_whole(std::mt19937& random, int depth) {
    if (depth <= 0) {
        const int v = static_cast<int>(random() % 20);
        return {std::to_string(v), v};
    }
    const auto [a, x] = random_whole(random, depth - 1);
    const auto [b, y] = random_whole(random, depth - 1);
    const auto bits = [](std::int64_t v) { return static_cast<std::int64_t>(static_cast<std::int16_t>(v)); };
    switch (random() % 7) {
        case 0: return {"(" + a + " + " + b + ")", bits(x + y)};
        case 1: return {"(" + a + " - " + b + ")", bits(x - y)};
        case 2: return {"(" + a + " * " + b + ")", bits(x * y)};
        case 3: return y == 0 ? std::pair{a, x} : std::pair{"(" + a + " / " + b + ")", bits(x / y)};
        case 4: return y == 0 ? std::pair{a, x} : std::pair{"(" + a + " MOD " + b + ")", bits(x % y)};
        case 5: return {"MAX(" + a + ", -" + b + ")", std::max(x, bits(-y))};
        default: {
            const auto [condition, holds] = random_condition(random, depth - 1);
            return {"SEL(" + condition + ", " + a + ", " + b + ")", holds ? y : x};
        }
    }
}

}  // namespace

TEST_CASE("random expressions come to what they come to when they are worked out a second time") {
    std::mt19937 random(7);
    for (int i = 0; i < 2000; ++i) {
        const auto [text, value] = random_whole(random, 4);
        INFO(text);
        CHECK(after("x : INT;", "x := " + text + ";") == std::to_string(value));
    }
}

TEST_CASE("mangled programs are refused or run, and do no harm") {
    const std::string text = R"(FUNCTION_BLOCK f VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT n : INT; END_VAR
IF a THEN n := n + 1; END_IF; END_FUNCTION_BLOCK
PROGRAM p VAR i AT %IX0.0 : BOOL; q AT %QW2 : INT; t : TON; k : f; x : DINT := 16#10; END_VAR
t(IN := NOT t.Q, PT := T#20ms); k(a := t.Q, n => q);
CASE q OF 1..3: x := x * 2; ELSE FOR x := 0 TO 9 DO IF x = 5 THEN EXIT; END_IF; END_FOR; END_CASE; END_PROGRAM)";
    std::mt19937 random(3);
    int ran = 0;
    for (int i = 0; i < 3000; ++i) {
        std::string mangled = text;
        for (int n = 1 + static_cast<int>(random() % 4); n > 0; --n) {
            const std::size_t at = random() % mangled.size();
            switch (random() % 4) {
                case 0: mangled.erase(at, 1 + random() % 12); break;
                case 1: mangled[at] = static_cast<char>(random() % 256); break;
                case 2: mangled.insert(at, mangled.substr(random() % mangled.size(), random() % 30)); break;
                default: mangled.insert(at, std::string(1, "();:=.%#*-9A"[random() % 12])); break;
            }
            if (mangled.empty()) mangled = " ";
        }
        if (mistake(mangled) == "none") ++ran;
    }
    CHECK(ran > 5);
    CHECK(ran < 2900);
}
