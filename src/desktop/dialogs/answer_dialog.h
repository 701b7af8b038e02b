#pragma once
// The answer to a question about the cell, to read, to write into a file, or to make the edit that it proposes.

#include <QDialog>

#include <exchange/question.h>

namespace escarp::desktop {

class AnswerDialog : public QDialog {
    Q_OBJECT
public:
    /// `of`: which cell was asked, in words. Accepted: the edit is wanted.
    AnswerDialog(const QString& question, const QString& of, const exchange::Answer& answer, QWidget* parent);

Q_SIGNALS:
    /// As text, or as JSON where the file ends so.
    void wants_file(const QString& file, const QString& text);

private:
    void choose_file(const exchange::Answer& answer);
};

}  // namespace escarp::desktop
