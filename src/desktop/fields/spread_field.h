#pragma once
// A line for a time that varies: a number, or a distribution in words. What cannot be read is told with its place.

#include <QLineEdit>

#include <cell/text/json.h>

namespace escarp::desktop {

class SpreadField : public QLineEdit {
    Q_OBJECT
public:
    explicit SpreadField(const QString& words, QWidget* parent = nullptr);

Q_SIGNALS:
    void changed(const escarp::cell::json& value);  ///< a number, or words that make sense

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    void settle();
    QString before_;
};

/// "mean, standard deviation ..." of every distribution, line by line.
QString spread_help();

}  // namespace escarp::desktop
