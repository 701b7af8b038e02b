#include "placements_csv.h"

#include <cell/edits/arrange.h>
#include <cell/model/device_kind.h>

#include "csv.h"

namespace escarp::exchange {
namespace {

std::string plain_number(double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%.4f", v);
    std::string s = text;
    while (s.back() == '0') s.pop_back();
    if (s.back() == '.') s.pop_back();
    return s == "-0" ? "0" : s;
}

}  // namespace

std::string placements_csv(const cell::Cell& c) {
    std::string out =
        "id,name,kind,stands on,x mm,y mm,z mm,rx deg,ry deg,turn deg,world x mm,world y mm,world z mm,world rx "
        "deg,world ry deg,world turn deg,length mm,width mm,height mm\r\n";
    for (const cell::Device& d : c.devices) {
        out += csv_field(d.id) + "," + csv_field(d.name) + "," + d.kind->id() + "," +
               csv_field(d.host >= 0 ? c.devices[d.host].name : "floor");
        for (const cell::Placement& p : {cell::placement_of(d.placement), cell::placement_of(d.world)})
            for (const double v : {p.x, p.y, p.z, p.rx, p.ry, p.turn}) out += "," + plain_number(v);
        const geometry::Box3 box = d.extent();
        const geometry::Vector3 size =
            box.empty() ? geometry::Vector3(0, 0, 0) : geometry::Vector3(1e3 * (box.high - box.low));
        for (int i = 0; i < 3; ++i) out += "," + plain_number(size[i]);
        out += "\r\n";
    }
    return out;
}

}  // namespace escarp::exchange
