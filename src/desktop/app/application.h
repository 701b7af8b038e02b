#pragma once
// The application: what goes wrong while an event is handled is told and does not end it; every edit up to there is in
// the journal.

#include <QApplication>

namespace escarp::desktop {

class Application : public QApplication {
    Q_OBJECT
public:
    /// Sets the name, the style and the picture format that the Model needs.
    Application(int& argc, char** argv);
    bool notify(QObject* receiver, QEvent* event) override;
    /// How often something went wrong that nobody had thought of.
    int surprises() const { return surprises_; }

Q_SIGNALS:
    void surprised(const QString& words);
    /// Something was refused, with the reason, and nobody nearer had words for it.
    void refused(const QString& words);

private:
    int surprises_ = 0;
};

}  // namespace escarp::desktop
