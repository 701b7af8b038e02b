#include <catch2/catch.hpp>

#include <desktop/fields/typed_number.h>

using escarp::desktop::shown_number;
using escarp::desktop::typed_number;

TEST_CASE("numbers are read as people type them") {
    const auto mm = [](const char* text) { return typed_number(text, "mm").value_or(-1); };
    CHECK(mm("350") == 350);
    CHECK(mm("1.2 m") == Approx(1200));
    CHECK(mm("650+45") == 695);
    CHECK(mm("1 m - 2.5 cm") == Approx(975));
    CHECK(mm("(100 + 20) * 3") == Approx(360));
    CHECK(mm("1,5") == 1.5);
    CHECK(mm("2 in") == Approx(50.8));
    CHECK(typed_number("1/4 turn", "deg").value_or(0) == Approx(90));
    CHECK(typed_number("3.14159265358979 rad", "deg").value_or(0) == Approx(180));
    CHECK(typed_number("2 min", "s").value_or(0) == 120);
    CHECK(typed_number("250 ms", "s").value_or(0) == Approx(0.25));
    CHECK(typed_number("-5", "mm").value_or(0) == -5);
}

TEST_CASE("what is not a number in the unit is refused") {
    for (const char* text : {"", "abc", "12 kg", "3 +", "(4", "1..2", "5 deg", "1/0", "--", "1 2"})
        CHECK(!typed_number(text, "mm"));
    CHECK(!typed_number(QString(500, '('), "mm"));
    CHECK(!typed_number(QString(150, '-') + "1", "mm"));
}

TEST_CASE("numbers are shown without dust") {
    CHECK(shown_number(350) == "350");
    CHECK(shown_number(0.1 + 0.2) == "0.3");
    CHECK(shown_number(-0.00001) == "0");
    CHECK(shown_number(12.3456) == "12.3456");
}
