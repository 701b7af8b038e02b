#pragma once
// A key of the file, said once: what it is called, what fits, what a missing one means, what a new one gets. Reading,
// the window's editors, the schema and the help come from it.

#include <cell/text/spread.h>

#include "reader.h"

namespace escarp::cell {

struct Field {
    enum class Type {
        number,
        whole,
        flag,
        text,
        id,  ///< of the element itself
        colour,
        choice,
        points,       ///< [x, y] each
        numbers,      ///< a list of any length
        vector,       ///< [x, y, z]
        bodies,       ///< see read_bodies
        group,        ///< with the keys of `inner`
        list,         ///< of groups with the keys of `inner`
        steps,        ///< of a task
        ids,          ///< a list of them
        texts,        ///< a list of them
        pieces,       ///< of a mesh: lists of corner coordinates
        devices,      ///< each with the keys of its kind
        differences,  ///< of a variant
        anything,     ///< the window's own
        // Something else of the cell, by its id:
        device,
        arm,    ///< a device that is one
        mover,  ///< a device that can be made to wait; see `can_wait`
        arm_model,
        tool_model,
        mesh,
        part_type,
        giver,  ///< a device that parts are picked from
        taker,  ///< one that they are placed in
        sight,  ///< one that tells where parts are
        signal,
        own_signal,  ///< one that the device itself sets
        own_number,  ///< the same, of those that are numbers
        condition,   ///< an expression that is on or off
        formula,     ///< an expression of whatever type is asked for
        side_task,   ///< of the same device
        pose,
        grip,
        body,  ///< of a device, by its name
        tool,  ///< one of the arm's
        block,
        // What depends on the arm:
        posture,
        held,  ///< value of its first free joint
    };
    std::string key, label;
    Type type = Type::number;
    double low = 0, high = 0;             ///< numbers: what fits, in the file's unit
    std::vector<std::string> words = {};  ///< choice: what fits, as the file says it
    std::vector<std::string> said = {};   ///< choice, flag: as people say it, where that is something else
    json usual = {};        ///< what a missing key means, in the file's unit; null: it is needed, or see `may_lack`
    json fresh = {};        ///< what a new one is given; null: nothing
    bool may_lack = false;  ///< what a missing key means depends on other keys
    bool varies = false;    ///< a number that may be a distribution in words instead: see Spread
    bool old = false;       ///< only in files of old: read, and shown where it stands
    std::string help = {};
    const std::vector<Field>& (*inner)() = nullptr;  ///< group, list: the keys of each
    int least = 0, most = 0;                         ///< of a list: how many elements; most 0: no bound
    std::string fold = {};     ///< of a device: the group under which it is folded away on its card
    std::string instead = {};  ///< a key that says the same in another way: it goes when this one is said

    Field usually(json value) && { return usual = std::move(value), std::move(*this); }
    Field at_first(json value) && { return fresh = std::move(value), std::move(*this); }
    Field varying() && { return varies = true, std::move(*this); }
    Field under(std::string card_fold) && { return fold = std::move(card_fold), std::move(*this); }
    Field of_old() && { return old = true, std::move(*this); }
    Field lacking() && { return may_lack = true, std::move(*this); }
    Field as_said(std::vector<std::string> words_of_people) && {
        return said = std::move(words_of_people), std::move(*this);
    }
    Field instead_of(std::string key_that_goes) && { return instead = std::move(key_that_goes), std::move(*this); }
    Field explained(std::string words_of_help) && { return help = std::move(words_of_help), std::move(*this); }
    Field of_number(int at_least, int at_most) && { return least = at_least, most = at_most, std::move(*this); }
    bool needed() const { return usual.is_null() && !may_lack && !old; }
};
using Fields = std::vector<Field>;

namespace field {
inline Field number(std::string key, std::string label, double low, double high) {
    return {std::move(key), std::move(label), Field::Type::number, low, high};
}
inline Field whole(std::string key, std::string label, int low, int high) {
    return {std::move(key), std::move(label), Field::Type::whole, static_cast<double>(low), static_cast<double>(high)};
}
inline Field choice(std::string key, std::string label, std::vector<std::string> words) {
    return {std::move(key), std::move(label), Field::Type::choice, 0, 0, std::move(words)};
}
inline Field of(Field::Type type, std::string key, std::string label) {
    return {std::move(key), std::move(label), type};
}
inline Field text(std::string key, std::string label) {
    return of(Field::Type::text, std::move(key), std::move(label));
}
inline Field own_id() { return of(Field::Type::id, "id", "id"); }
/// [x, y, z] within the bounds, each.
inline Field vector(std::string key, std::string label, double low, double high) {
    return {std::move(key), std::move(label), Field::Type::vector, low, high};
}
inline Field numbers(std::string key, std::string label, double low, double high, int least, int most) {
    return Field{std::move(key), std::move(label), Field::Type::numbers, low, high}.of_number(least, most);
}
inline Field bodies(std::string key, std::string label, int least) {
    return of(Field::Type::bodies, std::move(key), std::move(label)).of_number(least, 200);
}
inline Field group(std::string key, std::string label, const Fields& (*inner)()) {
    Field f = of(Field::Type::group, std::move(key), std::move(label));
    f.inner = inner, f.may_lack = true;
    return f;
}
inline Field list(std::string key, std::string label, const Fields& (*inner)(), int most) {
    Field f = of(Field::Type::list, std::move(key), std::move(label));
    f.inner = inner, f.may_lack = true, f.most = most;
    return f;
}
inline Field flag(std::string key, std::string label, bool usual) {
    return of(Field::Type::flag, std::move(key), std::move(label)).usually(usual);
}
}  // namespace field

/// Null: there is none with this key.
const Field* find_field(const Fields& fields, const std::string& key);
/// What a new one is given, in the order of the fields.
json fresh_of(const Fields& fields);

/// Reads the keys of a table. Each key that is asked for stands in it.
class Values {
public:
    Values(const Reader& reader, const Fields& fields) : reader_(reader), fields_(fields) {}
    const Reader& reader() const { return reader_; }
    bool has(const std::string& key) const { return reader_.has(key); }
    double number(const std::string& key) const;  ///< in the core's unit
    /// `usual`: in the file's unit, where the key is missing.
    double number(const std::string& key, double usual) const;
    Spread spread(const std::string& key) const;  ///< of a field that varies
    int whole(const std::string& key) const;
    bool flag(const std::string& key) const;
    std::string text(const std::string& key) const;  ///< texts and ids of others
    std::string text(const std::string& key, const std::string& usual) const;
    std::string id() const { return reader_.id("id"); }  ///< the element's own
    /// In the core's unit; without `usual` (in the file's) the key is needed.
    geometry::Vector3 vector(
        const std::string& key, const std::optional<geometry::Vector3>& usual = std::nullopt) const;
    std::vector<double> numbers(const std::string& key) const;   ///< as many as its table says
    std::vector<std::string> ids(const std::string& key) const;  ///< a list of them
    /// Elements of a list of groups, no more than its table says.
    std::vector<Reader> list(const std::string& key) const;
    std::string choice(const std::string& key) const;
    /// Tells what is missing or does not fit of all keys of the table, before anything is done with them. What depends
    /// on the cell (whether there is such a device) is for who uses them.
    void check() const;
    void problem(const std::string& key, const std::string& message) const { reader_.problem(key, message); }

private:
    const Field& field(const std::string& key) const;
    const Reader& reader_;
    const Fields& fields_;
};

}  // namespace escarp::cell
