#include "answer_dialog.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {

AnswerDialog::AnswerDialog(const QString& question, const QString& of, const exchange::Answer& answer, QWidget* parent)
    : QDialog(parent) {
    setObjectName("answer_dialog");
    setWindowTitle(title_text(question));
    resize(780, 480);
    auto* rows = new QVBoxLayout(this);
    auto* about = plain_label(of);
    about->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    rows->addWidget(about);
    QString words = QString::fromStdString(answer.words).trimmed();
    for (const std::string& note : answer.notes) words += "\n\n" + QString::fromStdString(note);
    auto* text = new QPlainTextEdit(words);
    text->setObjectName("answer_text");
    text->setAccessibleName(tr("Answer"));
    text->setReadOnly(true);
    text->setLineWrapMode(QPlainTextEdit::NoWrap);
    rows->addWidget(text, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* file = buttons->addButton(tr("Export \u2026"), QDialogButtonBox::ActionRole);
    file->setObjectName("answer_export");
    connect(file, &QPushButton::clicked, this, [this, answer] { choose_file(answer); });
    if (answer.edit) {
        auto* take = buttons->addButton(tr("Make this edit"), QDialogButtonBox::AcceptRole);
        take->setObjectName("answer_take");
        take->setToolTip(plain(QString::fromStdString(answer.edit->name)));
    }
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    rows->addWidget(buttons);
}

void AnswerDialog::choose_file(const exchange::Answer& answer) {
    QString chosen;
    QString file =
        QFileDialog::getSaveFileName(this, tr("Export"), "answer.txt", tr("Text (*.txt);;JSON (*.json)"), &chosen);
    if (file.isEmpty()) return;
    if (!file.endsWith(".json") && !file.endsWith(".txt")) file += chosen.contains(".json") ? ".json" : ".txt";
    const bool as_json = file.endsWith(".json");
    Q_EMIT wants_file(file, QString::fromStdString(as_json ? answer.result.dump(1) + "\n" : answer.words));
}

}  // namespace escarp::desktop
