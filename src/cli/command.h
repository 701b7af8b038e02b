#pragma once
// What the commands share.

#include <iostream>
#include <string>
#include <vector>

#include <cell/document/document.h>
#include <cell/model/device_kind.h>
#include <simulation/kinds.h>

namespace escarp::cli {

using cell::json;

struct Arguments {
    std::string file, variant, out, mesh, as = "structure", unit, name, ask, shard, csv, meshes, command, until, record,
                                          arm, pose, joints;
    std::vector<std::string> files, links, expect;
    int threads = 0;
    double seconds = 0, rate = 1, speed_pct = 20;
    bool as_json = false, take_it = false, drop_it = false, y_up = false, place = false, keep_origin = false,
         link = false, write = false, resume = false, lock_step = false, network = false, come_near = false,
         try_only = false;
};

/// Opens the file and checks the variant asked for. Throws InputError.
inline cell::Document opened(Arguments& a) {
    cell::Document d = cell::Document::load(a.file);
    if (a.variant.empty()) a.variant = d.baseline();
    if (d.has_variant(a.variant)) return d;
    std::string known;
    for (const cell::VariantInfo& v : d.variants()) known += (known.empty() ? "" : ", ") + v.id;
    throw cell::InputError("--variant", "\"" + a.variant + "\" is not a variant of this file; it has " + known + ".");
}

/// Standard output cannot be written: a full disk, or whoever read it has gone.
struct OutputFailed {};

inline void print(const json& value) { std::cout << value.dump(2, ' ', false, json::error_handler_t::replace) << "\n"; }

// Commands about the layout; each returns the exit code.
int edit(Arguments& a);            ///< edits from stdin, one JSON value a line
int recover(Arguments& a);         ///< what a crash left behind
int import(Arguments& a);          ///< geometry from a CAD file into a cell
int ask_study(Arguments& a);       ///< asks a study and keeps what is found
int study_show(Arguments& a);      ///< what has been found so far
int study_merge(Arguments& a);     ///< results of several shards in one file
int live(Arguments& a);            ///< the cell runs with the wall clock or a controller
int record_show(Arguments& a);     ///< what a live run heard and did
int record_compare(Arguments& a);  ///< with the computed run
int record_csv(Arguments& a);      ///< every change of a signal
int record_again(Arguments& a);    ///< whether it comes to the same without the outside
int link_list(Arguments& a);       ///< connections, and what is set from outside
int link_table(Arguments& a);      ///< addresses of Modbus
int link_names(Arguments& a);      ///< what is called what at the other end
int link_test(Arguments& a);       ///< whether somebody answers
int link_send(Arguments& a);       ///< an arm outside is told where to go
int read_urdf(Arguments& a);       ///< an arm from a robot description into a cell

}  // namespace escarp::cli
