#include "app/bench/view_pictures.h"

#include "core/base/spare_processors.h"

#include <QMetaObject>

#include <algorithm>

namespace caelumen {

bool ViewPictures::Lane::operator==(const Lane& o) const {
    const Alignment &a = alignment, &b = o.alignment;
    return run == o.run && picture == o.picture && showing == o.showing && stretch == o.stretch && over == o.over && a.dx == b.dx && a.dy == b.dy &&
           a.rotation_deg == b.rotation_deg && a.scale == b.scale && a.mirrored == b.mirrored;
}

ViewPictures::ViewPictures(QObject* parent)
    : QObject(parent)
    , m_thread([this](const std::stop_token& stop) { work(stop); }) {}

ViewPictures::~ViewPictures() {
    m_thread.request_stop();
    m_thread.join();
}

void ViewPictures::setLanes(std::vector<Lane> lanes, PictureTint tint) {
    for (const Lane& lane : lanes) {
        const auto before = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const Lane& l) { return l.run == lane.run; });
        if (before == m_lanes.end() || before->picture != lane.picture) m_made.erase(lane.run); // another frame is no stand-in
        if (before == m_lanes.end() || *before != lane || tint != m_tint) m_looks[lane.run] = ++m_changes;
    }
    std::erase_if(m_made, [&](const auto& m) { return std::none_of(lanes.begin(), lanes.end(), [&](const Lane& l) { return l.run == m.first; }); });
    m_lanes = std::move(lanes);
    m_tint = tint;
    std::erase_if(m_made, [&](const auto& m) { return m.second.tint != tint; });
}

void ViewPictures::want(const ViewPlace& place, const QStringList& runs) {
    m_place = place;
    const std::scoped_lock lock(m_mutex);
    m_orders.clear();
    if (place.width <= 0 || place.height <= 0) return;
    for (const QString& run : runs) {
        const auto lane = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const Lane& l) { return l.run == run; });
        if (lane != m_lanes.end() && lane->picture && !isCurrent(run)) m_orders.push_back({*lane, place, m_tint, m_looks[run]});
    }
    m_news.notify_one();
}

const ViewPictures::Made* ViewPictures::made(const QString& run) const {
    const auto it = m_made.find(run);
    return it == m_made.end() ? nullptr : &it->second;
}

bool ViewPictures::isCurrent(const QString& run) const {
    const Made* m = made(run);
    const auto look = m_looks.find(run);
    return m && look != m_looks.end() && m->look == look->second && m->place == m_place;
}

void ViewPictures::work(const std::stop_token& stop) {
    std::unique_lock lock(m_mutex);
    while (m_news.wait(lock, stop, [this] { return !m_orders.empty(); })) {
        const Order order = std::move(m_orders.front());
        m_orders.pop_front();
        m_busy = true;
        lock.unlock();
        Made made{QImage(order.place.width, order.place.height, QImage::Format_RGB32), order.place, order.look, order.tint};
        if (!made.image.isNull()) onSpareProcessors([&] { make(order, made.image); });
        lock.lock();
        m_done.emplace_back(order.lane.run, std::move(made));
        m_busy = false;
        QMetaObject::invokeMethod(this, &ViewPictures::take, Qt::QueuedConnection);
        if (m_orders.empty()) m_quiet.notify_all();
    }
}

void ViewPictures::make(const Order& order, QImage& image) {
    auto* to = reinterpret_cast<std::uint32_t*>(image.bits());
    const auto stride = static_cast<std::size_t>(image.bytesPerLine()) / 4;
    const ViewRun run{{order.lane.picture.get(), order.lane.showing}, order.lane.alignment};
    Shades& kept = m_shades[order.lane.run];
    if (order.lane.over) {
        const ViewRun base{{order.lane.over.get(), order.lane.showing}, {}};
        if (kept.look != order.look) kept = {order.look, ViewShades(run.seen, base.seen)};
        renderRatio(run, base, order.place, *kept.shades, order.tint, to, stride);
    } else {
        if (kept.look != order.look) kept = {order.look, ViewShades(run.seen, order.lane.stretch)};
        renderView(run, order.place, *kept.shades, order.tint, to, stride);
    }
}

void ViewPictures::take() {
    std::deque<std::pair<QString, Made>> done;
    {
        const std::scoped_lock lock(m_mutex);
        done.swap(m_done);
    }
    for (auto& [run, made] : done) {
        const auto lane = std::find_if(m_lanes.begin(), m_lanes.end(), [&r = run](const Lane& l) { return l.run == r; });
        if (lane == m_lanes.end() || made.tint != m_tint) continue;
        if (const auto old = m_made.find(run); old != m_made.end() && old->second.look > made.look) continue;
        m_made[run] = std::move(made);
        emit arrived(run);
    }
}

void ViewPictures::finish() {
    {
        std::unique_lock lock(m_mutex);
        m_quiet.wait(lock, [this] { return m_orders.empty() && !m_busy; });
    }
    take();
}

} // namespace caelumen
