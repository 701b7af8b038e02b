#include "surfaces.h"

#include <QDir>

#include <cell/text/content_key.h>

namespace escarp::desktop {
namespace {

constexpr std::size_t most_unpacked = 256u << 20;  // bytes of all surfaces of a cell

}  // namespace

Surfaces::~Surfaces() {
    stop_ = true;
    for (std::thread& t : readers_) t.join();
}

const Surfaces::Kept* Surfaces::find(const std::string& mesh) const {
    const auto found = kept_.find(mesh);
    return found == kept_.end() ? nullptr : &found->second;
}

void Surfaces::follow(const cell::json& tree, const QString& folder) {
    const auto list = tree.find("meshes");
    if (list == tree.end() || !list->is_array()) return kept_.clear();
    std::size_t unpacked = 0;
    for (const cell::json& entry : *list) {
        if (!entry.is_object()) continue;
        unpacked += std::min(exchange::unpacked_size(entry), exchange::largest_unpacked);
        const std::string id = entry.value("id", "");
        const bool linked = entry.contains("link");
        const std::uint64_t key = linked ? cell::ContentKey().add(entry["link"].dump() + folder.toStdString()).value()
                                         : std::hash<std::string>{}(entry.value("surface", ""));
        Kept& kept = kept_[id];
        if (kept.key == key) continue;
        kept = {};
        kept.key = key;
        if (linked) read_link(id, key, entry["link"], folder);
        else if (unpacked > most_unpacked) continue;  // its convex pieces are drawn
        else if (auto s = exchange::surface_of(entry))
            kept.surface = std::make_shared<const geometry::Surface>(std::move(*s));
    }
}

void Surfaces::read_link(const std::string& id, std::uint64_t key, const cell::json& link, const QString& folder) {
    const std::string file =
        QDir(folder).absoluteFilePath(QString::fromStdString(link.value("file", ""))).toStdString();
    exchange::ImportOptions o;
    o.unit = link.value("unit_m", 1e-3);
    o.y_up = link.value("y_up", false);
    o.bottom_centre = link.value("bottom_centre", true);
    o.pieces = 1;
    readers_.emplace_back([this, id, key, file, o] {
        std::shared_ptr<const geometry::Surface> made;
        QString wrong;
        try {
            // Each file is read by a process of its own: not all of them at once.
            while (!stop_ && !readings_.try_acquire_for(std::chrono::milliseconds(50))) continue;
            if (stop_) return;
            const std::unique_ptr<Readings, void (*)(Readings*)> turn(&readings_, [](Readings* r) { r->release(); });
            exchange::LoadWatch watch;
            watch.cancel = &stop_;
            if (auto s = exchange::surface_of(exchange::mesh_entry(exchange::load_surface(file, watch), o, id)))
                made = std::make_shared<const geometry::Surface>(std::move(*s));
        } catch (const cell::InputError& e) {
            wrong = tr("%1: %2 Its last known shape is shown.")
                        .arg(QString::fromStdString(file), QString::fromStdString(e.problems().front().message));
        } catch (const std::exception& e) {
            wrong = tr("%1 cannot be read (%2). Its last known shape is shown.")
                        .arg(QString::fromStdString(file), QString::fromUtf8(e.what()).left(300));
        }
        if (stop_) return;
        QMetaObject::invokeMethod(
            this,
            [this, id, key, made, wrong] {
                Kept& kept = kept_[id];
                if (kept.key != key) return;
                kept.surface = made;
                kept.missing = wrong;
                if (wrong.isEmpty()) Q_EMIT loaded();
                else Q_EMIT missing(wrong);
            },
            Qt::QueuedConnection);
    });
}

}  // namespace escarp::desktop
