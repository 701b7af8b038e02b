#pragma once
// Keeps the hands where they were while a form is made anew: the field that has the keyboard, and how far it is
// scrolled.

#include <QScrollArea>
#include <QString>
#include <QWidget>

namespace escarp::desktop {

/// Lives while a form is taken down and built again. Its fields are known again by their object names.
class FormPlace {
public:
    /// `page`: what holds the fields; `area`: what scrolls it, if anything does.
    explicit FormPlace(QWidget* page, QScrollArea* area = nullptr);
    /// The field that had the keyboard has it again, if there is one of its name; the form is scrolled as it was.
    ~FormPlace();
    FormPlace(const FormPlace&) = delete;
    FormPlace& operator=(const FormPlace&) = delete;

private:
    QWidget* page_;
    QScrollArea* area_;
    QString field_;  ///< empty: the keyboard is elsewhere
    int cursor_ = -1, scrolled_ = 0;
};

/// Takes a widget out of what is shown. It goes when control is back in the event loop, since one of its own controls
/// may be the caller; until then nothing finds it any more.
void retire(QWidget* widget);

/// Of a form that was just made anew: scrolled to there as soon as its new size is known, and no more after that.
void keep_scrolled(QScrollArea* area, int value);
/// How far a form is scrolled, or is about to be.
int scrolled_to(const QScrollArea* area);

}  // namespace escarp::desktop
