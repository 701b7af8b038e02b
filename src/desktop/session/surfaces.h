#pragma once
// The surfaces of the document's meshes as they are drawn; linked files are read beside the window.

#include <QObject>
#include <map>
#include <memory>
#include <semaphore>
#include <thread>

#include <exchange/mesh_import.h>

namespace escarp::desktop {

class Surfaces : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;
    ~Surfaces() override;
    /// Follows the document; unchanged meshes are kept. `folder`: where links are relative to.
    void follow(const cell::json& tree, const QString& folder);
    /// What is followed next is read anew.
    void forget() { kept_.clear(); }
    struct Kept {
        std::uint64_t key = 0;
        std::shared_ptr<const geometry::Surface> surface;  ///< null: its pieces are drawn
        QString missing;                                   ///< why a linked file cannot be shown
    };
    const Kept* find(const std::string& mesh) const;

Q_SIGNALS:
    void loaded();                       ///< a linked file is there now
    void missing(const QString& words);  ///< one is not

private:
    void read_link(const std::string& id, std::uint64_t key, const cell::json& link, const QString& folder);
    std::map<std::string, Kept> kept_;
    std::vector<std::thread> readers_;
    using Readings = std::counting_semaphore<2>;
    Readings readings_{2};  ///< how many more may be read at once
    std::atomic<bool> stop_{false};
};

}  // namespace escarp::desktop
