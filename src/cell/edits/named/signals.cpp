// Signals, numbers, inputs and what they take.

#include <cell/edits/named/named_edit.h>
#include <cell/edits/signal_edits.h>
#include <cell/read/wiring.h>

namespace escarp::cell {
namespace {

using namespace field;

Field owner() { return of(Field::Type::device, "device", "device"); }
Field name() { return text("name", "name"); }

}  // namespace

void add_signal_edits(std::vector<NamedEdit>& all) {
    const auto named = [&](const char* name, const char* help, Fields arguments, auto act) {
        all.push_back({name, help, std::move(arguments), act});
    };
    named("add signal", "that a device sets itself", {owner(), name()},
        [](const Layout& l, const Values& v) { return changed(l, add_signal(l, v.text("device"), v.text("name"))); });
    named("add number", "that a device counts itself", {owner(), name()},
        [](const Layout& l, const Values& v) { return changed(l, add_number(l, v.text("device"), v.text("name"))); });
    named("add input", "beside those of its kind", {owner(), name()},
        [](const Layout& l, const Values& v) { return changed(l, add_input(l, v.text("device"), v.text("name"))); });
    named("rename signal", "and whoever names it follows", {owner(), name(), text("to", "new name")},
        [](const Layout& l, const Values& v) {
            return changed(l, rename_signal(l, v.text("device"), v.text("name"), v.text("to")));
        });
    named("remove signal", "that nobody names any more", {owner(), name()}, [](const Layout& l, const Values& v) {
        return changed(l, remove_signal(l, v.text("device"), v.text("name")));
    });
    named("connect", "an input to a signal or a condition; to nothing without \"from\"",
        {owner(), text("input", "input"), of(Field::Type::formula, "from", "takes").usually("")},
        [](const Layout& l, const Values& v) {
            return changed(l, connect_input(l, v.text("device"), v.text("input"), v.text("from")));
        });
    named("give addresses", "to every signal that has none: they stay from then on", {},
        [](const Layout& l, const Values&) { return changed(l, give_addresses(l)); });
    named("describe signal",
        "its address or comment on the I/O list, or whether a controller sets it in a live run (yes, no)",
        {owner(), text("signal", "signal"), choice("what", "what", {"address", "comment", "outside"}),
            text("text", "text").usually("")},
        [](const Layout& l, const Values& v) {
            return changed(l, describe_signal(l, v.text("device"), v.text("signal"), v.choice("what"), v.text("text")));
        });
}

}  // namespace escarp::cell
