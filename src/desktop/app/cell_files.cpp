#include "cell_files.h"

#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QSettings>

#include <cell/text/disk.h>
#include <desktop/looks/plain_text.h>

namespace escarp::desktop {
namespace {
constexpr int most_recent = 8;
const char* file_filter = "Escarp cells (*.escarp)";
}  // namespace

CellFiles::CellFiles(Workspace& workspace, const Questions& questions, QWidget* window)
    : QObject(window), workspace_(workspace), questions_(questions), window_(window) {
    connect(&workspace_.open, &OpenCell::file_changed_outside, this, &CellFiles::changed_outside);
}

bool CellFiles::may_lose_work() {
    if (!workspace_.open.modified()) return true;
    if (workspace_.open.document().tree().value("devices", cell::json::array()).empty() &&
        workspace_.open.file().isEmpty())
        return true;
    const int answer = questions_.ask_about_changes(tr("Not saved"), tr("The cell has changes that are not saved."));
    if (answer == QMessageBox::Save) return save();
    return answer == QMessageBox::Discard;
}

bool CellFiles::save() {
    if (workspace_.open.file().isEmpty()) return save_as();
    if (workspace_.open.kept().changed_outside() && QFileInfo::exists(workspace_.open.file())) {
        const int answer = questions_.ask(tr("Changed on the disk"),
            tr("Another program has changed %1 since it was opened here. Saving replaces its changes.")
                .arg(QFileInfo(workspace_.open.file()).fileName()),
            {tr("Save as \u2026"), tr("Replace them")});
        if (answer == 0) return save_as();
        if (answer != 1) return false;
    }
    cell::MayReplace may{.changes = true};
    if (cell::read_only(workspace_.open.file().toStdString())) {
        const int answer =
            questions_.ask(tr("Read-only"), tr("%1 is read-only.").arg(QFileInfo(workspace_.open.file()).fileName()),
                {tr("Save as \u2026"), tr("Write over it anyway")});
        if (answer == 0) return save_as();
        if (answer != 1) return false;
        may.read_only = true;
    }
    told_outside_ = false;
    return workspace_.open.save_as(workspace_.open.file(), may);
}

bool CellFiles::save_as() {
    QString file = QFileDialog::getSaveFileName(window_, tr("Save the cell"), workspace_.open.file(), tr(file_filter));
    if (file.isEmpty()) return false;
    if (!file.endsWith(".escarp")) file += ".escarp";
    if (!workspace_.open.save_as(file)) return false;
    remember(file);
    return true;
}

void CellFiles::choose() {
    if (!may_lose_work()) return;
    const QString file =
        QFileDialog::getOpenFileName(window_, tr("Open a cell"), workspace_.open.file(), tr(file_filter));
    if (!file.isEmpty()) open(file);
}

bool CellFiles::open(const QString& file) {
    if (!workspace_.open.open(file)) return workspace_.open.kept().lost() && offer_lost(file);
    return show_opened(file);
}

/// The file is gone or cut off, but the journal beside it holds the cell.
bool CellFiles::offer_lost(const QString& file) {
    const cell::Recovered& found = *workspace_.open.kept().lost();
    const QString edits = counted(static_cast<std::size_t>(found.edits), tr("edit"), tr("edits"));
    const QString kept = found.edits ? tr("The journal beside it holds the whole cell, with %1 not saved.").arg(edits)
                                     : tr("The journal beside it holds the whole cell.");
    if (questions_.ask(tr("The file cannot be opened"), workspace_.open.kept().lost_why() + "\n\n" + kept,
            {tr("Bring the cell back"), tr("Leave it")}) != 0)
        return false;
    workspace_.open.take_lost(file);
    return !workspace_.open.kept().lost() && workspace_.open.file() == file && show_opened(file);
}

bool CellFiles::show_opened(const QString& file) {
    told_outside_ = false;
    remember(file);
    Q_EMIT opened();
    if (workspace_.open.kept().is_copy())
        questions_.tell(
            tr("Open in another window"), tr("%1 is open in another window. What you see here is a copy: save it "
                                             "under another name, so that the two do not overwrite each other.")
                                              .arg(QFileInfo(file).fileName()));
    offer_left_over();
    return true;
}

void CellFiles::offer_left_over() {
    if (!workspace_.open.kept().left_over()) return;
    const cell::Recovered& found = *workspace_.open.kept().left_over();
    const int answer = questions_.ask(tr("Unsaved edits found"),
        tr("The last session with this cell ended without saving. Kept: %1, the last: %2.")
            .arg(counted(static_cast<std::size_t>(found.edits), tr("edit"), tr("edits")),
                QString::fromStdString(found.last_edit)),
        {tr("Bring them back"), tr("Drop them")});
    if (answer == 0) workspace_.open.take_left_over();
    else if (answer == 1) workspace_.open.drop_left_over();
}

void CellFiles::offer_unsaved() {
    for (const cell::Recovered& found : cell::SafeFile::unsaved_in(cell::SafeFile::usual_room())) {
        const int answer = questions_.ask(tr("Unsaved cell found"),
            tr("A cell that was never saved (%1, the last: %2) was kept when the last session ended.")
                .arg(counted(static_cast<std::size_t>(found.edits), tr("edit"), tr("edits")),
                    QString::fromStdString(found.last_edit)),
            {tr("Bring it back"), tr("Drop it")});
        if (answer == 1) QFile::remove(QString::fromStdString(found.journal));
        if (answer != 0) continue;
        workspace_.open.take_unsaved(found);
        Q_EMIT brought_back();
        return;  // the next one is offered at the next start
    }
}

void CellFiles::changed_outside() {
    if (told_outside_) return;
    told_outside_ = true;
    if (!QFileInfo::exists(workspace_.open.file()))
        return questions_.tell(tr("Gone from the disk"),
            tr("Another program has removed %1. The cell is still here; saving writes it again.")
                .arg(QFileInfo(workspace_.open.file()).fileName()));
    const QString text = tr("Another program has changed %1.").arg(QFileInfo(workspace_.open.file()).fileName());
    const int answer =
        workspace_.open.modified()
            ? questions_.ask(tr("Changed on the disk"),
                  text + "\n" + tr("Reading it again takes the place of your edits; Undo brings them back."),
                  {tr("Keep what is here"), tr("Read it again")})
            : questions_.ask(tr("Changed on the disk"), text, {tr("Keep what is here"), tr("Read it again")});
    if (answer == 1) open(workspace_.open.file());
}

void CellFiles::remember(const QString& file) {
    QSettings settings;
    QStringList files = settings.value("recent").toStringList();
    const QString path = QFileInfo(file).absoluteFilePath();
    files.removeAll(path);
    files.prepend(path);
    settings.setValue("recent", files.mid(0, most_recent));
}

void CellFiles::fill_recent(QMenu* menu) {
    menu->clear();
    for (const QString& file : QSettings().value("recent").toStringList())
        menu->addAction(menu_text(file), this, [this, file] {
            if (may_lose_work()) open(file);
        });
    if (menu->isEmpty()) menu->addAction(tr("none yet"))->setEnabled(false);
}

}  // namespace escarp::desktop
