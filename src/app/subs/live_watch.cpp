#include "app/subs/live_watch.h"

#include "app/subs/subs_model.h"
#include "core/sky/night_track.h"

#include <algorithm>
#include <set>

namespace caelumen {

LiveWatch::LiveWatch(SubsModel& subs, QObject* parent)
    : QObject(parent)
    , m_subs(subs) {
    m_delay.setSingleShot(true);
    m_delay.setInterval(0);
    connect(&m_delay, &QTimer::timeout, this, &LiveWatch::follow);
    for (const auto signal : {&SubsModel::nightJudged, &SubsModel::groupsChanged}) connect(&m_subs, signal, &m_delay, qOverload<>(&QTimer::start));
}

void LiveWatch::follow() {
    const auto& groups = m_subs.groups();
    const int current = m_subs.current();
    std::vector<LiveRun> runs;
    QString of;
    if (current >= 0) {
        const FrameGroup& here = groups[static_cast<std::size_t>(current)];
        of = QString::fromStdString(here.night + "\n" + here.target);
        std::multiset<std::string> names;
        for (const FrameGroup& g : groups)
            if (g.kind == FrameKind::Light && g.night == here.night && g.target == here.target) names.insert(g.filter);
        for (std::size_t g = 0; g < groups.size(); ++g) {
            if (groups[g].kind != FrameKind::Light || groups[g].night != here.night || groups[g].target != here.target) continue;
            const SubsRun* run = m_subs.runOf(static_cast<int>(g));
            if (!run || run->hopeless) continue;
            if (!run->judged) return; // soon
            const std::string& filter = groups[g].filter;
            runs.push_back({filter.empty() || names.count(filter) > 1 ? groups[g].title() : filter, &run->run, run->gain});
        }
    }
    if (of != m_of) m_light = {}, m_stop = {}, m_left.reset(), m_site = {}, m_target = {};
    m_of = of;
    m_night = liveNight(runs, m_light);
    if (runs.size() < 2) {
        m_stop = {};
        m_jobs.cancel();
        emit changed();
        return;
    }
    if (const SubMeasurer* m = m_subs.measurer()) m_site = m->site(), m_target = m->target();
    m_jobs.run("live", tr("Weighing the night"), [this, night = m_night, site = m_site, target = m_target](const Job&) -> JobService::Finish {
        LiveOptions options;
        const std::string last = isoTime(JulianDate{night.start, 0}.plusSeconds(night.latest));
        const auto left = timeLeft(site, target, last);
        if (left) options.secondsLeft = left->seconds;
        return [this, stop = judgeLive(night, options), left] {
            QStringList news;
            for (const LivePair& p : stop.pairs) {
                const bool before = std::any_of(m_stop.pairs.begin(), m_stop.pairs.end(), [&](const LivePair& o) {
                    return o.a == p.a && o.b == p.b && o.quantity == p.quantity && o.channel == p.channel && o.word != LiveWord::ToldApart;
                });
                if (before && p.word == LiveWord::ToldApart) news << QString::fromStdString(p.sentence(m_night.filters));
            }
            m_stop = stop;
            m_left = left;
            emit changed();
            if (!news.isEmpty()) emit toldApart(news.first());
        };
    });
}

} // namespace caelumen
