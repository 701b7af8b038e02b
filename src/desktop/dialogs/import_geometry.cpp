#include "import_geometry.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDir>
#include <QEventLoop>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProgressDialog>
#include <QTimer>
#include <thread>

#include <cell/text/names.h>
#include <desktop/looks/plain_text.h>
#include <desktop/session/step_back.h>
#include <simulation/kinds.h>

namespace escarp::desktop {

void run_beside(QWidget* parent, const QString& title, const std::function<void(const exchange::LoadWatch&)>& work) {
    std::atomic<bool> cancel{false}, done{false};
    std::atomic<double> share{0};
    std::exception_ptr wrong;
    exchange::LoadWatch watch;
    watch.cancel = &cancel;
    watch.progress = [&](double s) { share = s; };
    std::thread thread([&] {
        try {
            work(watch);
        } catch (...) {
            wrong = std::current_exception();
        }
        done = true;
    });
    // What is over at once needs no dialog. Until there is one the window must not take anything: its document stays as
    // the work found it.
    for (int i = 0; i < 30 && !done; ++i) std::this_thread::sleep_for(std::chrono::milliseconds(5));
    QProgressDialog dialog(plain(title), QObject::tr("Cancel"), 0, 100, parent);
    dialog.setObjectName("load_progress");
    dialog.setWindowModality(Qt::WindowModal);
    dialog.setAutoClose(false);
    dialog.setAutoReset(false);
    if (!done) dialog.show();
    QEventLoop loop;
    QTimer timer;
    QObject::connect(&timer, &QTimer::timeout, &loop, [&] {
        if (done) return loop.quit();
        dialog.setValue(static_cast<int>(99 * share));
        if (!dialog.wasCanceled()) return;
        // The dialog is gone now: the window waits for the work to end before it takes anything again.
        cancel = true;
        loop.quit();
    });
    timer.start(20);
    loop.exec();
    thread.join();
    give_memory_back();
    if (wrong) std::rethrow_exception(wrong);
}

namespace {

/// What a file becomes, and how it is to be read.
class ImportForm final : public QDialog {
public:
    ImportForm(QWidget* parent, const QString& file, const exchange::LoadedSurface& loaded, bool can_link)
        : QDialog(parent), name_(new QLineEdit(QFileInfo(file).completeBaseName())) {
        setObjectName("import_dialog");
        setWindowTitle(tr("Import %1").arg(QFileInfo(file).fileName()));
        as_->addItems({tr("structure"), tr("fixture"), tr("tool"), tr("part type")});
        const std::pair<QString, double> units[] = {
            {tr("mm"), 1e-3}, {tr("cm"), 1e-2}, {tr("m"), 1.0}, {tr("inch"), 0.0254}};
        for (const auto& [text, metres] : units) unit_->addItem(text, metres);
        if (loaded.unit > 0) {
            unit_->clear();
            unit_->addItem(tr("as the file says (%1 m)").arg(loaded.unit), loaded.unit);
            unit_->setEnabled(false);
        }
        y_up_->setText(tr("the file's y points up"));
        y_up_->setChecked(file.endsWith(".gltf", Qt::CaseInsensitive) || file.endsWith(".glb", Qt::CaseInsensitive));
        bottom_->setText(tr("origin at the bottom centre (else as in the file)"));
        bottom_->setChecked(true);
        link_->setText(tr("keep only the path to the file"));
        link_->setEnabled(can_link);
        const geometry::Box3 box = geometry::bounds(loaded.surface);
        const auto show_size = [this, size = geometry::Vector3(box.high - box.low),
                                   triangles = loaded.surface.triangles.size()] {
            const geometry::Vector3 s = 1e3 * unit_->currentData().toDouble() * size;
            size_->setText(tr("%1 x %2 x %3 mm, %L4 triangles")
                               .arg(s.x(), 0, 'f', 1)
                               .arg(y_up_->isChecked() ? s.z() : s.y(), 0, 'f', 1)
                               .arg(y_up_->isChecked() ? s.y() : s.z(), 0, 'f', 1)
                               .arg(triangles));
        };
        connect(unit_, &QComboBox::currentIndexChanged, this, show_size);
        connect(y_up_, &QCheckBox::toggled, this, show_size);
        show_size();
        arrange();
    }
    exchange::ImportOptions options() const {
        exchange::ImportOptions o;
        o.name = name_->text().trimmed().toStdString();
        o.unit = unit_->currentData().toDouble();
        o.y_up = y_up_->isChecked();
        o.bottom_centre = bottom_->isChecked();
        return o;
    }
    exchange::ImportAs as() const { return static_cast<exchange::ImportAs>(as_->currentIndex()); }
    bool link() const { return link_->isChecked(); }

private:
    void arrange() {
        auto* form = new QFormLayout(this);
        form->addRow(tr("name"), name_);
        form->addRow(tr("becomes a"), as_);
        form->addRow(tr("unit"), unit_);
        form->addRow(QString(), y_up_);
        form->addRow(QString(), bottom_);
        form->addRow(QString(), link_);
        form->addRow(tr("size"), size_);
        auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
        connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
        connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
        form->addRow(buttons);
    }

    QLineEdit* name_;
    QComboBox *as_ = new QComboBox, *unit_ = new QComboBox;
    QCheckBox *y_up_ = new QCheckBox, *bottom_ = new QCheckBox, *link_ = new QCheckBox;
    QLabel* size_ = plain_label();
};

}  // namespace

ImportGeometry::ImportGeometry(OpenCell& open, Selection& selection, QWidget* window)
    : QObject(window), open_(open), selection_(selection), window_(window) {}

void ImportGeometry::choose_file() {
    const QString file =
        QFileDialog::getOpenFileName(window_, tr("Import geometry"), QFileInfo(open_.file()).absolutePath(),
            tr("CAD and mesh files (*.stl *.obj *.ply *.gltf *.glb *.dae *.step *.stp *.STL *.STEP *.STP)"));
    if (!file.isEmpty()) import_file(file);
}

void ImportGeometry::import_file(const QString& file) {
    exchange::LoadedSurface loaded;
    try {
        run_beside(window_, tr("Reading %1").arg(QFileInfo(file).fileName()),
            [&](const exchange::LoadWatch& w) { loaded = exchange::load_surface(file.toStdString(), w); });
    } catch (const cell::InputError& e) {
        return Q_EMIT open_.refused(tr("%1 was not imported").arg(QFileInfo(file).fileName()),
            QString::fromStdString(e.problems().front().message));
    }
    ImportForm form(window_, file, loaded, !open_.file().isEmpty());
    if (form.exec() == QDialog::Accepted) import_file(file, form.options(), form.as(), form.link());
}

bool ImportGeometry::import_file(const QString& file, exchange::ImportOptions o, exchange::ImportAs as, bool link) {
    try {
        if (link)
            o.link = QFileInfo(open_.file())
                         .absoluteDir()
                         .relativeFilePath(QFileInfo(file).absoluteFilePath())
                         .toStdString();
        cell::json entry;
        const std::string id = cell::free_id(open_.document().tree(), o.name.empty() ? "mesh" : o.name);
        run_beside(window_, tr("Preparing %1").arg(QFileInfo(file).fileName()), [&](const exchange::LoadWatch& w) {
            entry = exchange::mesh_entry(exchange::load_surface(file.toStdString(), w), o, id);
        });
        std::string made;
        if (!open_.apply(exchange::import_edit(open_.layout(), entry, as, &made))) return false;
        if (as == exchange::ImportAs::structure || as == exchange::ImportAs::fixture)
            selection_.select(QString::fromStdString(made));
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("%1 was not imported").arg(QFileInfo(file).fileName()),
            QString::fromStdString(e.problems().front().message));
        return false;
    }
}

}  // namespace escarp::desktop
