#include "app/bench/bench.h"
#include "app/bench/blind_panel.h"
#include "app/bench/evidence_plot.h"
#include "app/bench/histogram_strip.h"
#include "app/bench/lane_list.h"
#include "app/filter_curve.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/text.h"
#include "core/compare/run_facts.h"
#include "core/compare/same_field.h"
#include "core/model/quantity.h"
#include "core/picture/region_rates.h"
#include "report/local_number.h"

#include <QBuffer>
#include <QFileInfo>
#include <QSlider>
#include <qcustomplot.h>

#include <cmath>

/// What the Bench shows of the frames: which of their light, how it becomes grey, and what stands under the cursor.
namespace caelumen {
namespace {

FilterStyle hiddenStyle(std::size_t shown) {
    return {theme().dim, 0, static_cast<int>(shown) + 1};
}

/// How a run was laid on the baseline, for viewing: turned, magnified, moved, and how well.
QString warpNote(const Alignment& a, const RunConditions* c) {
    if (a.matched == 0) return {};
    QStringList parts;
    if (a.mirrored) parts << Bench::tr("mirrored");
    const double turn = std::remainder(a.rotation_deg, 360.0);
    if (std::abs(turn) >= 0.005) parts << Bench::tr("turned %1\u00B0").arg(localNumber(turn, 'f', 2));
    if (std::abs(a.scale - 1) >= 5e-5) parts << Bench::tr("scaled %1").arg(localNumber(a.scale, 'f', 4));
    const Point middle = c ? Point{0.5 * c->width, 0.5 * c->height} : Point{};
    const Point there = a.map(middle);
    if (std::hypot(there.x - middle.x, there.y - middle.y) >= 0.05)
        parts << Bench::tr("moved %1, %2 px").arg(localNumber(there.x - middle.x, 'f', 1)).arg(localNumber(there.y - middle.y, 'f', 1));
    return Bench::tr("for the view only: %1, rms %2 px of %3 stars")
        .arg(parts.isEmpty() ? Bench::tr("as it is") : parts.join(", "))
        .arg(localNumber(a.rms_px, 'f', 2))
        .arg(a.matched);
}

} // namespace

Showing Bench::showingOf(const PicturePyramid& picture, const Run& run) const {
    if (picture.channels() != 3 || m_tools->look() == LookAt::Colours) return {};
    switch (m_tools->look()) {
    case LookAt::Red:
        return {false, {1, 0, 0}};
    case LookAt::Green:
        return {false, {0, 1, 0}};
    case LookAt::Blue:
        return {false, {0, 0, 1}};
    default:
        break;
    }
    const auto matrix = m_lineMatrices.find(QString::fromStdString(run.id));
    if (matrix == m_lineMatrices.end()) return {};
    const LineWeights weights = lineWeights(matrix->second, {picture.stats(0).noise, picture.stats(1).noise, picture.stats(2).noise});
    return {false, m_tools->look() == LookAt::RedLine ? weights.red : weights.oxygen};
}

std::vector<ViewLane> Bench::viewLanes() const {
    const Trial& trial = m_session.trial();
    const TrialResults* r = m_session.results();
    std::vector<ViewLane> lanes;
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        const Run& run = trial.runs[i];
        const QString id = QString::fromStdString(run.id);
        const Filter* f = trial.filter(run.filter);
        ViewLane lane;
        lane.run = id;
        lane.label = QString("%1  %2").arg(id, QString::fromStdString(f ? f->name : run.filter));
        lane.baseline = r ? r->baseline == run.id : run.baseline;
        lane.style = runStyle(trial, run.id, run.baseline, theme().isRed());
        lane.picture = m_session.picture(id);
        lane.alignment = m_session.alignmentOf(id);
        lane.missing = m_session.whyNoPicture(id);
        if (lane.picture) lane.showing = showingOf(*lane.picture, run);
        if (!lane.baseline) lane.note = warpNote(lane.alignment, r ? r->conditionsOf(r->baseline) : nullptr);
        lanes.push_back(std::move(lane));
    }
    if (!m_blind) addSingleSubs(lanes);
    if (!m_blind) return lanes;
    std::vector<ViewLane> hidden;
    const auto& shown = m_blindPanel->shown();
    for (std::size_t i = 0; i < shown.size(); ++i)
        for (ViewLane& lane : lanes)
            if (lane.run.toStdString() == shown[i]) {
                if (!m_blindPanel->revealed()) {
                    lane.label = BlindPanel::pictureName(i);
                    lane.style = hiddenStyle(i);
                    lane.note.clear(); // how it lies would tell the baseline
                }
                hidden.push_back(std::move(lane));
            }
    return hidden;
}

namespace {

constexpr QChar kSubMark(0x2009); // ends the name of a single sub's lane; no run's name ends so

} // namespace

QString Bench::runOfLane(const QString& lane) {
    return lane.endsWith(kSubMark) ? lane.chopped(1) : lane;
}

void Bench::addSingleSubs(std::vector<ViewLane>& lanes) const {
    for (const auto& [run, sub] : m_subs)
        for (std::size_t i = 0; i < lanes.size(); ++i) {
            if (lanes[i].run != run) continue;
            ViewLane lane = lanes[i];
            lane.run = run + kSubMark;
            lane.label = tr("%1  single sub %2").arg(run, QFileInfo(sub.file).fileName());
            lane.picture = sub.picture;
            lane.alignment = sub.alignment;
            lane.showing = sub.picture->channels() == 3 ? lane.showing : Showing{};
            lane.note = tr("not calibrated, its sky brought to the stack's; %1").arg(warpNote(sub.alignment, nullptr));
            lane.baseline = false;
            lanes.insert(lanes.begin() + static_cast<std::ptrdiff_t>(i) + 1, std::move(lane));
            break;
        }
}

void Bench::askSingleSub(const QString& run) {
    const QString file = m_prompts.openFile(this, tr("A single sub of run %1").arg(run), framesFilter());
    if (file.isEmpty()) return;
    m_jobs.run("single sub", tr("Reading a single sub"),
               [this, run, file, trial = m_session.trial(), id = m_session.trialId()](const Job& job) -> JobService::Finish {
                   const Run* base = trial.baseline() ? trial.baseline() : &trial.runs.front();
                   Trial one = trial, whole = trial;
                   const Run* stacked = trial.run(run.toStdString());
                   Run sub;
                   sub.id = run.toStdString();
                   sub.filter = stacked ? stacked->filter : std::string();
                   sub.bayer = stacked ? stacked->bayer : std::string();
                   sub.rig = stacked ? stacked->rig : Rig{};
                   sub.sub_exposure_s = stacked ? stacked->sub_exposure_s : std::nullopt;
                   sub.stack = nameText(toPath(file));
                   sub.baseline = true;
                   one.runs = {sub};
                   whole.runs = {*base};
                   whole.runs.front().baseline = true;
                   const auto fail = [this](const Error& error) -> JobService::Finish {
                       if (error.message == kCancelled) return {};
                       return [this, sentence = QString::fromStdString(error.message)] { emit problem(sentence); };
                   };
                   const auto open = openRun(one, one.runs.front(), {});
                   if (!open) return fail(open.error());
                   auto picture = PicturePyramid::load(*open, job);
                   if (!picture) return fail(picture.error());
                   const auto alignment = alignmentBetween(whole, one, job);
                   if (!alignment) return fail(alignment.error());
                   auto shared = std::make_shared<const PicturePyramid>(std::move(*picture));
                   return [this, run, file, shared, id, a = *alignment] {
                       if (id != m_session.trialId() || !m_session.trial().run(run.toStdString())) return;
                       m_subs[run] = {file, shared, a};
                       picturesChanged();
                       m_view->setCurrent(run + kSubMark);
                   };
               });
}

void Bench::stretchLanes(std::vector<ViewLane>& lanes) {
    std::vector<Seen> all;
    const ViewLane* baseline = nullptr;
    for (const ViewLane& lane : lanes) {
        if (!lane.picture || runOfLane(lane.run) != lane.run) continue;
        // A frame that was not measured is not given a say in what the others look like.
        const TrialResults* r = m_session.results();
        if (const Absence* why = r ? r->whyAbsent(lane.run.toStdString(), q::background) : nullptr; why && why->channel.empty()) continue;
        all.push_back({lane.picture.get(), lane.showing});
        if (lane.baseline || !baseline) baseline = &lane;
    }
    if (all.empty())
        for (const ViewLane& lane : lanes)
            if (lane.picture) all.push_back({lane.picture.get(), lane.showing}), baseline = &lane;
    if (!baseline) return;
    const Seen base{baseline->picture.get(), baseline->showing};
    const StretchWish wish{m_brightness->value() / 100.0, m_contrast->value() / 100.0};
    const StretchMode mode = m_tools->stretchMode();
    const Stretch shared = m_points ? *m_points : mode == StretchMode::Linear ? linearStretch(all, base, wish) : sharedStretch(all, base, wish);
    for (ViewLane& lane : lanes)
        if (lane.picture) lane.stretch = mode == StretchMode::OwnSky ? ownSkyStretch({lane.picture.get(), lane.showing}, wish) : shared;
    // A single sub is not calibrated: its sky is brought to that of its stack.
    for (ViewLane& lane : lanes) {
        if (!lane.picture || runOfLane(lane.run) == lane.run || mode == StretchMode::OwnSky) continue;
        for (const ViewLane& stack : lanes) {
            if (stack.run != runOfLane(lane.run) || !stack.picture) continue;
            double off = 0;
            const auto own = Seen{lane.picture.get(), lane.showing}.stats(), its = Seen{stack.picture.get(), stack.showing}.stats();
            for (std::size_t c = 0; c < std::min(own.size(), its.size()); ++c)
                off += (own.size() == 3 ? shared.balance[c] : 1) * (own[c].sky - its[c].sky) / static_cast<double>(std::min(own.size(), its.size()));
            lane.stretch.black += off;
            lane.stretch.white += off;
        }
    }
    QStringList note{mode == StretchMode::OwnSky   ? tr("each to its own sky: brightness cannot be compared")
                     : mode == StretchMode::Linear ? tr("one stretch for all, linear")
                                                   : tr("one stretch for all")};
    if (m_points && mode != StretchMode::OwnSky) note << tr("points set by hand");
    if (m_tools->look() != LookAt::Colours) note.prepend(lookName(m_tools->look()).toLower());
    m_view->setStretchNote(note.join(", "));
    if (m_levels->isVisible() || m_tools->levels()->isChecked()) {
        const Stretch automatic = mode == StretchMode::Linear ? linearStretch(all, base) : sharedStretch(all, base);
        std::vector<HistogramStrip::Line> lines;
        for (const ViewLane& lane : lanes) {
            if (!lane.picture) continue;
            Counted& counted = m_counted[lane.run];
            if (counted.picture != lane.picture || !(counted.showing == lane.showing) || !(counted.scale == automatic))
                counted = {lane.picture, lane.showing, automatic, HistogramStrip::partsOf({lane.picture.get(), lane.showing}, automatic)};
            lines.push_back({lane.run, lane.style, counted.parts});
        }
        m_histogram->show(std::move(lines), automatic, shared, mode != StretchMode::OwnSky);
        m_histogram->setCurrent(m_run);
    }
}

void Bench::picturesChanged() {
    if ((m_tools->look() == LookAt::RedLine || m_tools->look() == LookAt::Oxygen) && m_lineMatrices.empty())
        for (const Run& run : m_session.trial().runs) m_lineMatrices[QString::fromStdString(run.id)] = lineMatrixOfRun(m_session, &run);
    std::vector<ViewLane> lanes = viewLanes();
    stretchLanes(lanes);
    const QString before = m_view->current();
    m_view->setLanes(std::move(lanes), m_session.frameSize());
    if (runOfLane(before) != m_run || m_view->current() != before) m_view->setCurrent(m_run);
}

QString Bench::skyPlaceOf(const Point& at) const {
    const TrialResults* r = m_session.results();
    const RunConditions* c = r ? r->conditionsOf(r->baseline) : nullptr;
    if (!c || !c->wcs) return {};
    const auto place = c->wcs->toSky(at); // degrees
    if (!place) return {};
    const Point sky = *place;
    const int seconds = static_cast<int>(std::lround(std::fmod(sky.x + 360, 360.0) / 15 * 3600 * 10));
    const int arc = static_cast<int>(std::lround(std::abs(sky.y) * 3600));
    return QString("%1h %2m %3s  %4%5\u00B0 %6\u2032 %7\u2033")
        .arg(seconds / 36000 % 24, 2, 10, QChar('0'))
        .arg(seconds / 600 % 60, 2, 10, QChar('0'))
        .arg(seconds % 600 / 10.0, 4, 'f', 1, QChar('0'))
        .arg(sky.y < 0 ? QString::fromUtf8("\u2212") : QString("+"))
        .arg(arc / 3600, 2, 10, QChar('0'))
        .arg(arc / 60 % 60, 2, 10, QChar('0'))
        .arg(arc % 60, 2, 10, QChar('0'));
}

void Bench::hovered(const Point& at, bool inside) {
    if (!inside || m_blind) {
        m_lanes->setReadouts({});
        emit status({});
        return;
    }
    const double step = 1 / std::max(m_view->zoom(), 1e-6);
    std::map<QString, double> totals, areas; // per pixel; and how many of its pixels one of the baseline's is on the sky
    bool summed = false;
    QString base, rates;
    for (const ViewLane& lane : m_view->lanes()) {
        if (lane.baseline) base = lane.run;
        if (!lane.picture) continue;
        const auto rate = rateAt({{lane.picture.get(), lane.showing}, lane.alignment}, at, step);
        if (!rate) continue;
        double sum = 0;
        QStringList each;
        for (std::size_t c = 0; c < rate->size(); ++c) {
            sum += (*rate)[c];
            if (rate->size() == 3) each << QString("%1 %2").arg(QChar("RGB"[c])).arg(localNumber((*rate)[c], 'g', 4));
        }
        totals[lane.run] = sum;
        areas[lane.run] = lane.alignment.scale * lane.alignment.scale;
        summed = summed || rate->size() == 3;
        if (lane.run == m_view->shown()) rates = each.isEmpty() ? localNumber(sum, 'g', 4) : each.join("  ");
    }
    std::map<QString, QString> readouts;
    for (const auto& [run, total] : totals) {
        QString text = tr("%1 e-/s/px").arg(localNumber(total, 'g', 4));
        if (summed) text.prepend("RGB ");
        if (run != base && totals.count(base) && totals.at(base) > 0)
            text += QString("  \u00D7%1").arg(localNumber(total * areas.at(run) / totals.at(base), 'g', 3));
        readouts[run] = text;
    }
    m_lanes->setReadouts(std::move(readouts));
    QString text = tr("x %1  y %2").arg(localNumber(at.x, 'f', 1)).arg(localNumber(at.y, 'f', 1));
    if (const QString sky = skyPlaceOf(at); !sky.isEmpty()) text += "    " + sky;
    if (!rates.isEmpty()) text += "    " + tr("%1 e-/s/px").arg(rates);
    emit status(text);
}

std::vector<double> Bench::pixelsOf(const std::string& run, const Region& region, const std::string& channel) const {
    const auto picture = m_session.picture(QString::fromStdString(run));
    if (!picture) return {};
    Showing one{false, {0, 0, 0}};
    const auto c = std::string("RGB").find(channel);
    one.weights[c < 3 && channel.size() == 1 ? c : 0] = 1;
    return ratesIn({{picture.get(), one}, m_session.alignmentOf(QString::fromStdString(run))}, region);
}

void Bench::savePlot(const QString& suffix) {
    const QString path = m_prompts.saveFile(this, tr("Save the plot"), tr("evidence-%1-%2.%3").arg(m_score, m_run, suffix),
                                            suffix == "png" ? tr("Picture (*.png)") : tr("Table (*.csv)"));
    if (path.isEmpty()) return;
    QByteArray bytes;
    if (suffix == "png") {
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        m_evidence->plot()->toPixmap(m_evidence->plot()->width(), m_evidence->plot()->height(), 2).save(&buffer, "PNG");
    } else {
        bytes = m_evidence->csv().toUtf8();
    }
    if (const Status written = m_session.write(path, bytes.toStdString()); !written) return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Saved %1").arg(path));
}

} // namespace caelumen
