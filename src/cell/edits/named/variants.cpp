// Variants, and single values.

#include <cell/edits/named/named_edit.h>

namespace escarp::cell {
namespace {

using namespace field;

Field variant() { return text("variant", "variant"); }
Field at() { return text("at", "path of the value, /devices/arm1/placement/x_mm"); }

}  // namespace

void add_variant_edits(std::vector<NamedEdit>& all) {
    const auto named = [&](const char* name, const char* help, Fields arguments, auto act) {
        all.push_back({name, help, std::move(arguments), act});
    };
    named("set", "a value", {at(), of(Field::Type::anything, "value", "value")}, [](const Layout& l, const Values& v) {
        return changed(l, {"Change " + v.text("at"), {Operation::set(v.text("at"), v.reader().raw("value"))}});
    });
    named("unset", "a value: what a missing key means holds again", {at()}, [](const Layout& l, const Values& v) {
        return changed(l, {"Change " + v.text("at"), {Operation::remove(v.text("at"))}});
    });
    named("add variant", "like another, or like the one looked at",
        {text("name", "name"), text("like", "variant").usually("")}, [](const Layout& l, const Values& v) {
            const std::string id = l.document().free_variant_id();
            const std::string like = v.text("like").empty() ? l.variant() : v.text("like");
            return Change{l.document().with_variant(id, v.text("name"), like), "New variant " + id, {{"variant", id}}};
        });
    named("rename variant", "", {variant(), text("to", "new name")}, [](const Layout& l, const Values& v) {
        return Change{l.document().renamed_variant(v.text("variant"), v.text("to")), "Rename variant", {}};
    });
    named("drop variant", "not the baseline", {variant()}, [](const Layout& l, const Values& v) {
        return Change{l.document().without_variant(v.text("variant")), "Drop variant " + v.text("variant"), {}};
    });
    named("make baseline", "each variant stays what it is", {variant()}, [](const Layout& l, const Values& v) {
        return Change{l.document().with_baseline(v.text("variant")), "Make " + v.text("variant") + " the baseline", {}};
    });
    named("put back", "what a variant alters is the baseline's again", {variant(), at()},
        [](const Layout& l, const Values& v) {
            return Change{l.document().put_back(v.text("variant"), v.text("at")), "Put back to the baseline", {}};
        });
    named("hand on", "what a variant alters becomes the baseline's value, or every variant's",
        {variant(), at(), flag("to_all", "to every variant", false)}, [](const Layout& l, const Values& v) {
            const Document& d = l.document();
            return Change{v.flag("to_all") ? d.pushed_to_all(v.text("variant"), v.text("at"))
                                           : d.pushed_to_baseline(v.text("variant"), v.text("at")),
                "Hand a value on", {}};
        });
}

}  // namespace escarp::cell
