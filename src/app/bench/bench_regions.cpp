#include "app/bench/bench.h"
#include "app/bench/lane_list.h"
#include "app/bench/trial_edits.h"
#include "app/widgets/prompts.h"
#include "core/compare/propose.h"
#include "core/compare/same_field.h"
#include "core/picture/snap.h"

#include <QActionGroup>
#include <QGuiApplication>
#include <QMenu>

#include <algorithm>
#include <cmath>

/// Regions and runs: drawn, moved, named, taken from another trial.
namespace caelumen {

Point Bench::snapped(const Point& at) const {
    constexpr double kReach = 14; // of the screen
    for (const ViewLane& lane : m_view->lanes())
        if (lane.baseline && lane.picture)
            return brightStarNear({{lane.picture.get(), {}}, {}}, at, std::clamp(kReach / m_view->zoom(), 6.0, 40.0)).value_or(at);
    return at;
}

void Bench::drawn(Region region) {
    if (region.role == RegionRole::HaloStar) region.points = {snapped(region.points.front())};
    const Trial changed = withRegion(m_session.trial(), region);
    const QString id = QString::fromStdString(region.id);
    m_session.edit(tr("Draw %1").arg(id), changed);
    m_view->select(id);
}

void Bench::changed(const Region& region) {
    Region to = region;
    // Nudges by key join into one step; a drag is one step by itself.
    const bool nudged = QGuiApplication::mouseButtons() == Qt::NoButton && m_view->hasFocus();
    if (to.role == RegionRole::HaloStar && !nudged) to.points = {snapped(to.points.front())};
    m_session.edit(tr("Move %1").arg(QString::fromStdString(to.id)), withChanged(m_session.trial(), to), nudged ? m_nudges : 0);
}

void Bench::deleteSelectedRegion() {
    const QString id = m_view->selected();
    if (!id.isEmpty()) m_session.edit(tr("Delete %1").arg(id), withoutRegion(m_session.trial(), id.toStdString()));
}

void Bench::renameRegion(const QString& id) {
    for (Region r : m_session.trial().regions) {
        if (id.isEmpty() || r.id != id.toStdString()) continue;
        const QString name = m_prompts.text(this, tr("Rename %1").arg(id), tr("Name shown beside %1:").arg(id), QString::fromStdString(r.name));
        if (name.isNull()) return;
        r.name = name.trimmed().toStdString();
        r.guessed = false;
        return m_session.edit(tr("Rename %1").arg(id), withChanged(m_session.trial(), r));
    }
}

void Bench::setChannel(const QString& id, const QString& channel) {
    for (Region r : m_session.trial().regions) {
        if (r.id != id.toStdString()) continue;
        r.channel = channel.toStdString();
        return m_session.edit(tr("Channel of %1").arg(id), withChanged(m_session.trial(), r));
    }
}

void Bench::setBaseline(const QString& run) {
    m_session.edit(tr("Take run %1 as baseline").arg(run), withBaseline(m_session.trial(), run.toStdString(), m_session.alignmentOf(run)));
}

void Bench::removeRun(const QString& run) {
    m_session.edit(tr("Remove run %1").arg(run), withoutRun(m_session.trial(), run.toStdString()));
}

void Bench::proposeRegions() {
    if (!m_session.results()) return;
    Trial changed = m_session.trial();
    std::erase_if(changed.regions, [](const Region& r) { return r.guessed; });
    // What a person drew stays; proposals keep away from it.
    for (Region r : caelumen::proposeRegions(*m_session.results())) {
        const Region::Bounds b = r.bounds();
        const bool met = std::any_of(changed.regions.begin(), changed.regions.end(), [&](const Region& kept) {
            const Region::Bounds k = kept.bounds();
            return b.min.x <= k.max.x && b.max.x >= k.min.x && b.min.y <= k.max.y && b.max.y >= k.min.y;
        });
        if (met) continue;
        changed = withRegion(std::move(changed), r);
    }
    if (changed.regions == m_session.trial().regions) return emit told(tr("There is nothing more to propose."));
    m_session.edit(tr("Propose regions"), changed);
}

std::vector<Campaign::Entry> Bench::trialsToCopyFrom() {
    std::vector<Campaign::Entry> out;
    for (const Campaign::Entry& e : m_session.trials()) {
        if (e.id == m_session.trialId()) continue;
        const auto other = m_session.stored(e.id);
        if (other && !other->regions.empty() && sameTarget(other->target, m_session.trial().target)) out.push_back(e);
    }
    return out;
}

void Bench::copyRegionsFrom(qint64 id) {
    const auto other = m_session.stored(id);
    if (!other) return emit problem(QString::fromStdString(other.error().message));
    const QSize size = m_session.frameSize();
    m_jobs.run("regions", tr("Laying regions"), [this, from = *other, to = m_session.trial(), size](const Job& job) -> JobService::Finish {
        const auto map = alignmentBetween(from, to, job);
        if (!map)
            return [this, sentence = QString::fromStdString(map.error().message)] {
                if (sentence != kCancelled) emit problem(sentence);
            };
        return [this, from, to, map = *map, size] {
            if (m_session.trial() != to) return; // another trial meanwhile
            const Trial changed = withRegionsOf(to, from, map, size.width(), size.height());
            const auto taken = changed.regions.size() - to.regions.size();
            if (taken == 0) return emit told(tr("No region of that trial lies in this frame."));
            m_session.edit(tr("Copy regions"), changed);
            emit told(tr("%n region(s) copied.", nullptr, static_cast<int>(taken)));
        };
    });
}

void Bench::regionMenu(const QString& id, const Point& at, const QPoint& global) {
    QMenu menu(this);
    menu.setObjectName("regionMenu");
    for (const Region& r : m_session.trial().regions) {
        if (id.isEmpty() || r.id != id.toStdString()) continue;
        menu.addAction(tr("Rename %1 \u2026").arg(id), this, [this, id] { renameRegion(id); });
        menu.addAction(tr("Show its pixels"), this, [this, r] { m_view->showRegion(r); });
        if (r.role == RegionRole::Nebula) {
            QMenu* channels = menu.addMenu(tr("Judged in channel"));
            const auto offer = [&](const QString& name, const QString& channel) {
                QAction* action = channels->addAction(name, this, [this, id, channel] { setChannel(id, channel); });
                action->setCheckable(true);
                action->setChecked(QString::fromStdString(r.channel) == channel);
            };
            offer(tr("The one of best SNR"), {});
            for (const char* c : {"R", "G", "B"}) offer(c, c);
        }
        menu.addAction(tr("Delete %1").arg(id), this, &Bench::deleteSelectedRegion);
        menu.addSeparator();
    }
    const double handy = 0.03 * m_session.frameSize().width();
    const auto here = [&](const QString& text, RegionRole role, RegionShape shape) {
        menu.addAction(text, this, [this, role, shape, at, handy] {
            Region r;
            r.role = role;
            r.shape = shape;
            r.radius = shape == RegionShape::Circle ? handy : 0;
            r.points = shape == RegionShape::Rect ? std::vector<Point>{{at.x - handy, at.y - handy}, {at.x + handy, at.y + handy}} : std::vector<Point>{at};
            drawn(r);
        });
    };
    here(tr("A nebula circle here"), RegionRole::Nebula, RegionShape::Circle);
    here(tr("A sky rectangle here"), RegionRole::Sky, RegionShape::Rect);
    here(tr("A halo star here"), RegionRole::HaloStar, RegionShape::Star);
    menu.addSeparator();
    menu.addAction(tr("Propose regions"), this, &Bench::proposeRegions)->setEnabled(m_session.results() != nullptr);
    QMenu* copy = menu.addMenu(tr("Copy regions from"));
    for (const Campaign::Entry& e : trialsToCopyFrom()) copy->addAction(e.title, this, [this, trial = e.id] { copyRegionsFrom(trial); });
    copy->setEnabled(!copy->isEmpty());
    if (!m_session.canEdit())
        for (QAction* a : menu.actions()) a->setEnabled(false);
    menu.exec(global);
}

void Bench::askStack(const QString& run) {
    const QString file = m_prompts.openFile(this, tr("Where is the stack of run %1?").arg(run), framesFilter());
    if (!file.isEmpty()) m_session.relink(run, file);
}

void Bench::laneMenu(const QPoint& at) {
    const QString run = m_lanes->currentRun();
    QMenu menu(this);
    menu.setObjectName("laneMenu");
    if (!run.isEmpty()) {
        menu.addAction(tr("Correct the facts of run %1 \u2026").arg(run), this, [this, run] { emit factsAsked(run); });
        QAction* base = menu.addAction(tr("Take as baseline"), this, [this, run] { setBaseline(run); });
        const Run* r = m_session.trial().run(run.toStdString());
        base->setEnabled(r && !r->baseline && m_session.results());
        menu.addAction(tr("Left of the curtain"), this, [this, run] {
            m_view->setBehind(run);
            m_view->setMode(FrameView::Mode::Curtain);
        });
        menu.addAction(tr("A single sub beside it \u2026"), this, [this, run] { askSingleSub(run); });
        menu.addAction(tr("Its stack lies elsewhere \u2026"), this, [this, run] { askStack(run); });
        menu.addAction(tr("Remove from the trial"), this, [this, run] { removeRun(run); })->setEnabled(r && !r->baseline);
        menu.addSeparator();
    }
    menu.addAction(tr("Add frames \u2026"), this, &Bench::framesWanted);
    menu.exec(m_lanes->viewport()->mapToGlobal(at));
}

} // namespace caelumen
