#include "typed_number.h"

#include <QHash>
#include <cmath>

namespace escarp::desktop {
namespace {

struct Unit {
    char kind;      // l length, a angle, t time, w weight
    double factor;  // to mm, deg, s, kg
};

const QHash<QString, Unit>& units() {
    static const QHash<QString, Unit> all = {{"um", {'l', 1e-3}}, {"mm", {'l', 1}}, {"cm", {'l', 10}},
        {"m", {'l', 1000}}, {"in", {'l', 25.4}}, {"deg", {'a', 1}}, {"\u00b0", {'a', 1}},
        {"rad", {'a', 180 / 3.14159265358979323846}}, {"turn", {'a', 360}}, {"turns", {'a', 360}}, {"ms", {'t', 1e-3}},
        {"s", {'t', 1}}, {"min", {'t', 60}}, {"h", {'t', 3600}}, {"g", {'w', 1e-3}}, {"kg", {'w', 1}}};
    return all;
}

/// sum := product (('+'|'-') product)*; product := value (('*'|'/') value)* [unit]; value := number | '(' sum ')'
class Parser {
public:
    Parser(const QString& text, const QString& unit)
        : text_(text), wanted_(units().value(unit.section('/', 0, 0), {'?', 1})) {}

    std::optional<double> all() {
        const double v = sum();
        skip();
        if (!good_ || at_ != text_.size() || !std::isfinite(v)) return std::nullopt;
        return v;
    }

private:
    void skip() {
        while (at_ < text_.size() && text_[at_].isSpace()) ++at_;
    }
    bool take(QChar c) {
        skip();
        if (at_ >= text_.size() || text_[at_] != c) return false;
        ++at_;
        return true;
    }
    double sum() {
        double v = product();
        while (good_) {
            if (take('+')) v += product();
            else if (take('-') || take(QChar(0x2212))) v -= product();
            else break;
        }
        return v;
    }
    double product() {
        double v = value();
        while (good_) {
            if (take('*')) v *= value();
            else if (take('/')) v /= value();
            else break;
        }
        return v * unit();
    }
    double value() {
        skip();
        if (depth_ > 50) return fail();
        if (take('-') || take(QChar(0x2212))) return ++depth_, -value();
        if (take('+')) return ++depth_, value();
        if (take('(')) {
            ++depth_;
            const double v = sum();
            if (!take(')')) return fail();
            --depth_;
            return v;
        }
        const int start = at_;
        while (at_ < text_.size() && (text_[at_].isDigit() || text_[at_] == '.' || text_[at_] == ',')) ++at_;
        bool ok = false;
        const double v = text_.mid(start, at_ - start).replace(',', '.').toDouble(&ok);
        return ok ? v : fail();
    }
    double unit() {
        skip();
        const int start = at_;
        while (at_ < text_.size() && (text_[at_].isLetter() || text_[at_] == QChar(0xb0))) ++at_;
        if (at_ == start) {
            if (take('%')) return 1;
            return 1;
        }
        const auto found = units().find(text_.mid(start, at_ - start).toLower());
        if (found == units().end() || found->kind != wanted_.kind) return fail();
        return found->factor / wanted_.factor;
    }
    double fail() {
        good_ = false;
        return 0;
    }

    QString text_;
    Unit wanted_;
    int at_ = 0, depth_ = 0;
    bool good_ = true;
};

}  // namespace

std::optional<double> typed_number(const QString& text, const QString& unit) {
    if (text.size() > 200) return std::nullopt;
    return Parser(text.trimmed(), unit).all();
}

QString shown_number(double value) {
    QString s = QString::number(value, 'f', 4);
    while (s.endsWith('0')) s.chop(1);
    if (s.endsWith('.')) s.chop(1);
    return s == "-0" ? QStringLiteral("0") : s;
}

cell::json typed_points(const QString& text) {
    cell::json out = cell::json::array();
    for (const QString& pair : text.split(',', Qt::SkipEmptyParts)) {
        const QStringList two = pair.split(' ', Qt::SkipEmptyParts);
        const auto x = typed_number(two.value(0), "mm"), y = typed_number(two.value(1), "mm");
        if (two.size() != 2 || !x || !y) return {};
        out.push_back({*x, *y});
    }
    return out;
}

cell::json typed_numbers(const QString& text) {
    cell::json out = cell::json::array();
    for (const QString& one : text.split(',', Qt::SkipEmptyParts)) {
        const auto v = typed_number(one, "mm");
        if (!v) return {};
        out.push_back(*v);
    }
    return out;
}

QString shown_list(const cell::json& list) {
    QStringList out;
    for (const cell::json& item : list)
        if (item.is_array() && item.size() == 2)
            out << shown_number(item[0].get<double>()) + " " + shown_number(item[1].get<double>());
        else if (item.is_number()) out << shown_number(item.get<double>());
    return out.join(", ");
}

}  // namespace escarp::desktop
