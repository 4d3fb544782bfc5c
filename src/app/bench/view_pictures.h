#pragma once

#include "core/picture/view_render.h"

#include <QImage>
#include <QObject>
#include <QString>
#include <QStringList>

#include <condition_variable>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace caelumen {

/// Makes the pictures that a view shows in a thread of its own, at the size of the screen, the one in sight first and then the others, so that flipping finds
/// them ready. Until a new one is there the last one made is at hand with the place that it shows; never one in another tint, as a white one would blind eyes
/// that are used to the dark.
class ViewPictures : public QObject {
    Q_OBJECT

public:
    struct Lane {
        QString run;
        std::shared_ptr<const PicturePyramid> picture;
        Showing showing = {};
        Alignment alignment = {}; ///< from the baseline
        Stretch stretch = {};
        std::shared_ptr<const PicturePyramid> over = {}; ///< the baseline's, for its ratio; null: the picture itself
        bool operator==(const Lane& other) const;
    };
    struct Made {
        QImage image;
        ViewPlace place;
        quint64 look = 0; ///< of the lane that it was made from
        PictureTint tint = PictureTint::Natural;
    };

    explicit ViewPictures(QObject* parent = nullptr);
    ~ViewPictures() override;

    void setLanes(std::vector<Lane> lanes, PictureTint tint);
    /// What to make, the most wanted first; whatever waits from before is dropped.
    void want(const ViewPlace& place, const QStringList& runs);
    const Made* made(const QString& run) const; ///< the newest; null before the first
    bool isCurrent(const QString& run) const;   ///< whether it is what was wanted last
    void finish();                              ///< waits until all that is wanted is made

signals:
    void arrived(const QString& run);

private:
    struct Order {
        Lane lane;
        ViewPlace place;
        PictureTint tint;
        quint64 look = 0;
    };
    void work(const std::stop_token& stop);
    void make(const Order& order, QImage& image);
    void take();

    std::vector<Lane> m_lanes;
    std::map<QString, quint64> m_looks; ///< grows with every change of a lane
    quint64 m_changes = 0;
    PictureTint m_tint = PictureTint::Natural;
    ViewPlace m_place;
    std::map<QString, Made> m_made;

    std::mutex m_mutex; // of what follows
    std::condition_variable_any m_news, m_quiet;
    std::deque<Order> m_orders;
    std::deque<std::pair<QString, Made>> m_done;
    bool m_busy = false;

    /// Tables of each run, for the look that they were made for; the worker's own.
    struct Shades {
        quint64 look = 0;
        std::optional<ViewShades> shades;
    };
    std::map<QString, Shades> m_shades;
    std::jthread m_thread;
};

} // namespace caelumen
