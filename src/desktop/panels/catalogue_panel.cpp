#include "catalogue_panel.h"

#include <QDir>
#include <QDrag>
#include <QFile>
#include <QJsonDocument>
#include <QKeyEvent>
#include <QLabel>
#include <QStandardPaths>
#include <QVBoxLayout>

#include <cell/text/disk.h>
#include <cell/text/names.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

const char* mime_type = "application/x-escarp-offering";
constexpr QSize picture_size{56, 44};

cell::json to_json(const cell::Offering& o) {
    return {
        {"kind", o.kind}, {"model", o.model}, {"label", o.label}, {"parameters", o.parameters}, {"brings", o.brings}};
}

std::optional<cell::Offering> from_json(const cell::json& j) {
    if (!j.is_object()) return std::nullopt;
    cell::Offering o;
    for (const auto& [key, to] : {std::pair{"kind", &o.kind}, {"model", &o.model}, {"label", &o.label}})
        if (j.contains(key) && j[key].is_string()) *to = j[key].get<std::string>();
    if (j.contains("parameters") && j["parameters"].is_object()) o.parameters = j["parameters"];
    if (j.contains("brings") && j["brings"].is_object()) o.brings = j["brings"];
    return o.kind.empty() || o.label.empty() ? std::nullopt : std::optional(o);
}

/// The list with a drag that carries the offering itself.
class Offers : public QListWidget {
public:
    explicit Offers(const CataloguePanel& panel) : panel_(panel) {}

protected:
    void startDrag(Qt::DropActions) override {
        if (!currentItem()) return;
        const cell::Offering& what = panel_.all()[currentItem()->data(Qt::UserRole).toInt()];
        auto* data = new QMimeData;
        data->setData(mime_type, QByteArray::fromStdString(to_json(what).dump()));
        auto* drag = new QDrag(this);
        drag->setMimeData(data);
        drag->setPixmap(currentItem()->icon().pixmap(picture_size));
        drag->exec(Qt::CopyAction);
    }

private:
    const CataloguePanel& panel_;
};

}  // namespace

QPixmap picture_of(const cell::Offering& what, const QSize& size) {
    QPixmap picture(size * 2);
    picture.setDevicePixelRatio(2);
    picture.fill(Qt::transparent);
    try {
        cell::Document d;
        std::string belt, id;
        const cell::DeviceKind* kind = simulation::standard_kinds().find(what.kind);
        if (kind && kind->placed_on() == cell::DeviceKind::PlacedOn::on_belts)
            d = d.edited(d.baseline(),
                cell::add_device(simulation::layout(d, d.baseline()), {"conveyor", "", "Conveyor"}, "", &belt));
        d = d.edited(d.baseline(), cell::add_device(simulation::layout(d, d.baseline()), what, "", &id));
        const auto c = simulation::layout(d, d.baseline()).shared_cell();
        const int device = c->device(id);
        const simulation::Scene scene(*c);
        PlanView v;
        v.side = Side::corner;
        v.turn = -0.9, v.tilt = 0.55;
        v.scale = 1;
        QPolygonF outline;
        for (const QPolygonF& one : device_outlines(v, scene, device)) outline << one;
        const QRectF seen = outline.boundingRect();
        v.scale = std::min(
            (size.width() - 4) / std::max(0.01, seen.width()), (size.height() - 4) / std::max(0.01, seen.height()));
        v.middle = QPointF(size.width() / 2.0, size.height() / 2.0) - seen.center() * v.scale;
        QPainter p(&picture);
        PlanOptions o;
        o.names = false;
        o.only = {device};
        draw_plan(p, v, scene, o);
    } catch (const cell::InputError&) {
        // An own device of a newer program: it is listed without a picture, and says why when it is placed.
    }
    return picture;
}

CataloguePanel::CataloguePanel(OpenCell& open, QWidget* parent)
    : QWidget(parent), open_(open), line_(new QLineEdit), list_(new Offers(*this)) {
    setObjectName("catalogue");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(5);
    auto* title = marked_label(tr("<b>CATALOGUE</b> &nbsp;<span style='color:#5C6870'>click, then the floor</span>"));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    title->setWordWrap(true);
    layout->addWidget(title);
    line_->setObjectName("catalogue_search");
    line_->setPlaceholderText(tr("Search: table, six-axis, bend \u2026"));
    line_->setAccessibleName(tr("Search the catalogue"));
    line_->setClearButtonEnabled(true);
    layout->addWidget(line_);
    list_->setObjectName("catalogue_list");
    list_->setAccessibleName(tr("Devices that can be placed"));
    list_->setViewMode(QListView::IconMode);
    list_->setIconSize(picture_size);
    list_->setGridSize(QSize(66, 74));
    list_->setResizeMode(QListView::Adjust);
    list_->setMovement(QListView::Static);
    list_->setDragEnabled(true);
    list_->setWordWrap(true);
    list_->setFont(theme::font(10));
    list_->setFrameShape(QFrame::NoFrame);
    layout->addWidget(list_, 1);
    line_->installEventFilter(this);
    list_->installEventFilter(this);
    connect(line_, &QLineEdit::textChanged, this, &CataloguePanel::narrow);
    connect(list_, &QListWidget::itemClicked, this,
        [this](QListWidgetItem* item) { Q_EMIT chosen(all_[item->data(Qt::UserRole).toInt()]); });
    load();
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (open_.trying()) return;
        cell::json now;
        for (const cell::Offering& o : cell::own_offerings(open_.document()))
            now.push_back(*cell::find(open_.document().tree(), cell::Path("arm_models") / o.model));
        if (now != listed_) load();
    });
}

void CataloguePanel::search() {
    line_->setFocus();
    line_->selectAll();
}

QString CataloguePanel::library_folder() {
    return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/escarp/library";
}

void CataloguePanel::load() {
    all_ = cell::offerings(simulation::standard_kinds());
    const std::vector<cell::Offering> here = cell::own_offerings(open_.document());
    listed_ = cell::json();
    for (const cell::Offering& o : here) {
        all_.push_back(o);
        listed_.push_back(*cell::find(open_.document().tree(), cell::Path("arm_models") / o.model));
    }
    own_from_ = static_cast<int>(all_.size());
    for (const QFileInfo& file : QDir(library_folder()).entryInfoList({"*.json"}, QDir::Files, QDir::Name)) {
        try {
            if (const auto own =
                    from_json(cell::parse_json(cell::read_file(file.absoluteFilePath().toStdString(), 64u << 20))))
                all_.push_back(*own);
        } catch (const cell::InputError&) {  // what cannot be read is not offered
        }
    }
    pictures_.clear();
    for (cell::Offering what : all_) {
        if (const cell::json* model = cell::find(open_.document().tree(), cell::Path("arm_models") / what.model);
            model && !what.model.empty() && what.brings.empty())
            what.brings = {{"arm_models", cell::json::array({*model})},
                {"meshes", open_.document().tree().value("meshes", cell::json::array())}};
        pictures_.emplace_back(picture_of(what, picture_size));
    }
    narrow();
}

void CataloguePanel::narrow() {
    list_->clear();
    const QStringList words = line_->text().split(' ', Qt::SkipEmptyParts);
    for (const int i : indices(all_)) {
        const QString label = QString::fromStdString(all_[i].label);
        const cell::DeviceKind* kind = simulation::standard_kinds().find(all_[i].kind);
        const QString all = label + " " + (kind ? QString::fromStdString(kind->label()) : QString()) +
                            (i >= own_from_ ? tr(" own") : QString());
        if (!std::all_of(
                words.begin(), words.end(), [&](const QString& w) { return all.contains(w, Qt::CaseInsensitive); }))
            continue;
        auto* item = new QListWidgetItem(pictures_[i], label, list_);
        item->setData(Qt::UserRole, i);
        item->setToolTip(
            plain(i >= own_from_
                      ? tr("%1: own device (Delete takes it out of the library)").arg(label)
                      : tr("%1 (%2)").arg(label, kind ? QString::fromStdString(kind->label()).toLower() : QString())));
    }
    if (list_->count() > 0) list_->setCurrentRow(0);
}

bool CataloguePanel::eventFilter(QObject* object, QEvent* event) {
    if (event->type() != QEvent::KeyPress) return false;
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
        if (list_->currentItem()) Q_EMIT taken(all_[list_->currentItem()->data(Qt::UserRole).toInt()]);
        return true;
    }
    if (object == line_ && (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up)) {
        list_->setFocus();
        return true;
    }
    if (object == list_ && key->key() == Qt::Key_Delete) {
        forget_own();
        return true;
    }
    return false;
}

void CataloguePanel::forget_own() {
    if (!list_->currentItem()) return;
    const int index = list_->currentItem()->data(Qt::UserRole).toInt();
    if (index < own_from_) return;
    QFile::remove(library_folder() + "/" +
                  QString::fromStdString(cell::free_id(cell::json::object(), all_[index].label)) + ".json");
    load();
}

bool CataloguePanel::keep_own(const QString& device, const QString& name) {
    const cell::json tree = open_.resolved();
    const cell::json* own = cell::find(tree, cell::at_device(device.toStdString()));
    if (!own || name.trimmed().isEmpty()) return false;
    cell::Offering kept;
    kept.kind = own->value("kind", "");
    kept.model = own->value("model", "");
    kept.label = name.trimmed().toStdString();
    kept.parameters = *own;
    for (const char* key : {"id", "name", "kind", "host", "placement", "task", "poses", "to", "group", "locked"})
        kept.parameters.erase(key);
    // With everything of the file that it names.
    const std::string text = own->dump();
    for (const char* list : {"arm_models", "tool_models", "part_types", "meshes"}) {
        if (!tree.contains(list)) continue;
        for (const cell::json& item : tree[list])
            if (text.find("\"" + item.value("id", "") + "\"") != std::string::npos) kept.brings[list].push_back(item);
    }
    QDir().mkpath(library_folder());
    const QString file =
        library_folder() + "/" + QString::fromStdString(cell::free_id(cell::json::object(), kept.label)) + ".json";
    try {
        cell::write_file(file.toStdString(), to_json(kept).dump(1));
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("The device was not kept"),
            tr("%1: %2").arg(file, QString::fromStdString(e.problems().front().message)));
        return false;
    }
    load();
    return true;
}

std::optional<cell::Offering> CataloguePanel::carried(const QMimeData* data) {
    if (!data->hasFormat(mime_type)) return std::nullopt;
    return from_json(cell::json::parse(data->data(mime_type).toStdString(), nullptr, false));
}

}  // namespace escarp::desktop
