// A program for the controller to begin with.

#include <cell/text/disk.h>

#include "../controller_text.h"
#include "../question.h"

namespace escarp::exchange {
namespace {

Answer write_program(Asked& a, const std::string& file) {
    cell::write_file(file, controller_text(a.layout()));
    return {{{"file", file}}, file + ": a program to begin with\n"};
}

}  // namespace

void add_controller_exporter(std::vector<Exporter>& all) {
    all.push_back({"controller-program", "Controller's program to begin with",
        "structured text (IEC 61131-3): signals at their addresses, arbiters, what comes from outside", {"st"}, {},
        write_program, [](Asked& a) { return controller_text(a.layout()); }});
}

}  // namespace escarp::exchange
