#pragma once
// Verdict strip: the answers, always current, each with its change against the baseline.

#include <QWidget>

#include <desktop/session/spreads.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class VerdictStrip : public QWidget {
    Q_OBJECT
public:
    VerdictStrip(Workspace& workspace, const Spreads& spreads, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {1280, 72}; }
    /// What a tile shows, by its key ("cycle", "rate", "reach", "clearance", "zones", "findings", "waiting", "floor").
    QString shown(const QString& key) const;
    QString note(const QString& key) const;  ///< the words below it

Q_SIGNALS:
    void wants_signals();  ///< the tile of forced signals was used

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    struct Tile {
        QString key, title, value, unit, note;
        QColor stripe, note_colour;
    };
    struct Seen;
    std::vector<Tile> tiles() const;
    static Tile cycle_tile(const Seen& seen);
    static Tile rate_tile(const Seen& seen);
    static Tile reach_tile(const Seen& seen);
    static Tile clearance_tile(const Seen& seen);
    static Tile findings_tile(const Seen& seen);
    static Tile waiting_tile(const Seen& seen);
    static Tile floor_tile(const Seen& seen);
    Tile forced_tile() const;
    Tile zones_tile() const;
    QRectF box(std::size_t index, std::size_t count) const;
    void follow(const QString& key);  ///< goes to what decides the figure

    Workspace& workspace_;
    const Spreads& spreads_;
    int focused_ = -1;
    mutable std::shared_ptr<const inspection::Zones> last_zones_;
    mutable QString zones_of_;  ///< the variant
};

}  // namespace escarp::desktop
