#include "app/palette/palette_model.h"

#include "app/widgets/paths.h"
#include "core/compare/sentences.h"
#include "core/model/quantity.h"
#include "core/palette/compose.h"
#include "report/colour_file.h"
#include "report/local_number.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Every size that a screen may ask for.
std::vector<Mixture> sizesOf(const Mixture& whole) {
    constexpr int kSmallest = 300; // of the longer side
    std::vector<Mixture> out;
    const int longest = std::max(whole.width, whole.height);
    out.push_back(smaller(whole, std::max(1, longest / PaletteModel::kPreview)));
    while (std::max(out.back().width, out.back().height) >= 2 * kSmallest) out.push_back(smaller(out.back(), 2));
    return out;
}

} // namespace

PaletteModel::PaletteModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session) {
    connect(&m_session, &Session::trialChanged, this, &PaletteModel::follow);
    connect(&m_session, &Session::resultsChanged, this, [this] {
        if (m_time != PaletteTime::SameDepth) return;
        m_base.reset();
        emit lookChanged();
    });
    connect(&m_jobs, &JobService::failed, this, &PaletteModel::failed);
}

void PaletteModel::setActive(bool active) {
    m_active = active;
    if (m_active && m_stale) follow();
}

void PaletteModel::follow() {
    m_stale = !m_active;
    if (m_stale) return;
    const Trial& now = m_session.trial();
    const bool same = !m_shots.empty() && now.runs == m_trial.runs && now.rig == m_trial.rig && now.filters.size() == m_trial.filters.size();
    m_trial = now;
    if (same && mixesAlike(m_made, m_wish)) return;
    make();
}

int PaletteModel::place(const QString& run) const {
    const auto found = std::find_if(m_shots.begin(), m_shots.end(), [&](const Shot& s) { return s.run == run; });
    return found == m_shots.end() ? -1 : static_cast<int>(found - m_shots.begin());
}

void PaletteModel::setWish(const PaletteWish& wish) {
    if (wish == m_wish) return;
    m_wish = wish;
    if (!m_active) return;
    if (!mixesAlike(m_made, m_wish)) return make();
    m_base.reset();
    emit lookChanged();
}

void PaletteModel::setLook(double light, double depth) {
    m_light = light, m_depth = depth;
    emit lookChanged();
}

void PaletteModel::setTime(PaletteTime time, double hours) {
    if (time == m_time && hours == m_hours) return;
    m_time = time, m_hours = hours;
    m_base.reset();
    if (time != PaletteTime::AsItWas && !m_withTime) {
        m_withTime = true;
        if (m_active) return make();
    }
    emit lookChanged();
}

void PaletteModel::setEyes(ColourVision eyes) {
    m_eyes = eyes;
    emit lookChanged();
}

std::optional<double> PaletteModel::measuredDepth(const QString& run) const {
    const TrialResults* results = m_session.results();
    std::optional<double> best;
    if (results)
        for (const Measurement& m : results->measurements)
            if (m.run == run.toStdString() && m.quantity == q::nebulaSnrHour) best = std::max(best.value_or(0), m.value);
    return best;
}

bool PaletteModel::depthIsMeasured() const {
    return std::all_of(m_shots.begin(), m_shots.end(), [&](const Shot& s) { return !s.prepared || measuredDepth(s.run); });
}

double PaletteModel::depthOf(std::size_t shot) const {
    return depthIsMeasured() ? *measuredDepth(m_shots[shot].run) : m_shots[shot].prepared->depthPerHour;
}

std::optional<double> PaletteModel::hoursOf(std::size_t shot) const {
    if (m_time == PaletteTime::AsItWas || !m_shots[shot].prepared) return std::nullopt;
    if (m_time == PaletteTime::SameForAll) return m_hours;
    double best = 0;
    for (std::size_t i = 0; i < m_shots.size(); ++i)
        if (m_shots[i].prepared) best = std::max(best, depthOf(i));
    const double own = depthOf(shot);
    constexpr double kMost = 10'000;
    if (!(own > 0) || !(best > 0)) return std::nullopt;
    const double hours = m_hours * (best / own) * (best / own);
    return hours <= kMost ? std::optional(hours) : std::nullopt;
}

QString PaletteModel::timeText(std::size_t shot) const {
    const Run* run = m_trial.run(m_shots[shot].run.toStdString());
    const QString own = run && run->sub_exposure_s && run->sub_count ? tr("%1 \u00D7 %2 s").arg(*run->sub_count).arg(*run->sub_exposure_s) : QString();
    if (m_time == PaletteTime::AsItWas || !m_shots[shot].prepared) return own;
    const auto hours = hoursOf(shot);
    if (!hours) return tr("%1: shows nothing that could be made as deep").arg(own);
    const Prepared& p = *m_shots[shot].prepared;
    const QString text = tr("as from %1 h").arg(localNumber(*hours, 'g', 3));
    if (!(p.ownHours > 0)) return tr("%1 (its own time is not known)").arg(own);
    const bool real = *hours <= p.ownHours && !p.sizes.empty() && p.sizes.front().realHalves;
    return real ? tr("%1, of %2").arg(text, own) : tr("%1, PREDICTED from %2").arg(text, own);
}

QSize PaletteModel::sizeOf(std::size_t shot) const {
    const auto& p = m_shots[shot].prepared;
    return p ? QSize(p->shelf->width(), p->shelf->height()) : QSize();
}

Recipe PaletteModel::partsOf(std::size_t shot) const {
    Recipe r = m_shots[shot].prepared->recipe;
    takeParts(r, m_wish);
    r.hours = hoursOf(shot);
    r.light = m_light, r.depth = m_depth;
    return r;
}

std::optional<Look> PaletteModel::look() const {
    if (!m_base) {
        std::size_t quietest = m_shots.size();
        double least = 0;
        for (std::size_t i = 0; i < m_shots.size(); ++i) {
            if (!m_shots[i].prepared) continue;
            const ColourPicture levels = mixedLevels(m_shots[i].prepared->sizes.front(), partsOf(i));
            const double noise = std::max({levels.noise[0], levels.noise[1], levels.noise[2]});
            if (quietest == m_shots.size() || noise < least) quietest = i, least = noise;
        }
        if (quietest == m_shots.size()) return std::nullopt;
        // Black and greys by the noise of the largest preview, whatever the size that is shown; white by a small one, which is quick.
        const Recipe parts = partsOf(quietest);
        m_base = lookBase(mix(m_shots[quietest].prepared->sizes.back(), parts));
        m_base->noise = std::max(least, 1e-12);
        m_base->white = std::max(m_base->white, 20 * m_base->noise);
    }
    return lookOf(*m_base, m_light, m_depth);
}

QImage PaletteModel::shown(const Mixture& mixture, std::size_t shot) const {
    const auto all = look();
    if (!all) return {};
    if (!m_table || !(m_table->first == *all)) m_table.emplace(*all, LookTable(*all));
    QImage out(mixture.width, mixture.height, QImage::Format_RGB32);
    auto* pixels = reinterpret_cast<std::uint32_t*>(out.bits());
    mixOnScreen(mixture, partsOf(shot), m_table->second, pixels, static_cast<std::size_t>(mixture.width));
    asSeenBy(m_eyes, pixels, static_cast<std::size_t>(mixture.width) * static_cast<std::size_t>(mixture.height));
    return out;
}

QImage PaletteModel::image(std::size_t shot, QSize room) const {
    const auto& p = m_shots[shot].prepared;
    if (!p) return {};
    return shown(sizeFor(*p, room), shot);
}

const Mixture& PaletteModel::sizeFor(const Prepared& p, QSize room) {
    const Mixture* best = &p.sizes.front();
    for (const Mixture& m : p.sizes) // a picture fits into the room when one of its sides does
        if (m.width >= room.width() || m.height >= room.height()) best = &m;
    return *best;
}

QImage PaletteModel::part(std::size_t shot, const QRect& place) const {
    const auto& p = m_shots[shot].prepared;
    return p ? shown(p->shelf->part(place.x(), place.y(), place.width(), place.height()), shot) : QImage();
}

ColourPicture PaletteModel::told(std::size_t shot) const {
    return mixedLevels(m_shots[shot].prepared->sizes.front(), partsOf(shot));
}

QString PaletteModel::conditions(std::size_t shot) const {
    QStringList parts;
    if (!m_trial.target.name.empty()) parts << QString::fromStdString(m_trial.target.name);
    if (!m_trial.site.name.empty()) parts << QString::fromStdString(m_trial.site.name);
    if (const TrialResults* r = m_session.results())
        if (const RunConditions* c = r->conditionsOf(m_shots[shot].run.toStdString())) parts << QString::fromStdString(conditionsSentence(m_trial, *c));
    if (parts.size() < 3) parts << timeText(shot);
    return parts.join(" \u00B7 ");
}

Result<Recipe> PaletteModel::recipeFor(const std::string& run) const {
    auto out = recipeOf(m_trial, m_wish, run);
    if (!out) return out;
    out->light = m_light, out->depth = m_depth;
    if (const int at = place(QString::fromStdString(run)); at >= 0) out->hours = hoursOf(static_cast<std::size_t>(at));
    return out;
}

void PaletteModel::make() {
    for (const Shot& s : m_shots) m_jobs.cancel("picture " + s.run); // an export goes on
    m_made = m_wish;
    m_base.reset();
    m_shots.clear();
    for (const Run& r : m_trial.runs) {
        const Filter* f = m_trial.filter(r.filter);
        m_shots.push_back({QString::fromStdString(r.id), QString::fromStdString(r.filter), QString::fromStdString(f ? f->name : r.filter), nullptr, {}});
    }
    emit changed();
    for (const Shot& shot : m_shots) {
        m_jobs.run("picture " + shot.run, tr("Making the picture of %1").arg(shot.name),
                   [this, id = shot.run, wish = m_wish, trial = m_trial, time = m_withTime](const Job& job) -> JobService::Finish {
                       auto made = std::make_shared<Prepared>();
                       QString problem;
                       if (const auto recipe = recipeOf(trial, wish, id.toStdString()); !recipe) {
                           problem = QString::fromStdString(recipe.error().message);
                       } else if (const auto mixture = prepareMixture(*recipe, {}, time, job)) {
                           made->recipe = *recipe;
                           made->sizes = sizesOf(*mixture);
                           made->shelf = std::make_unique<const MixtureShelf>(*mixture);
                           made->ownHours = mixture->layers.front().total_s / 3600;
                           made->depthPerHour = mixture->depthPerHour();
                       } else {
                           if (mixture.error().message == kCancelled) return {};
                           problem = QString::fromStdString(mixture.error().message);
                       }
                       return [this, id, wish, time, made, problem] {
                           const int at = place(id);
                           if (at < 0 || !mixesAlike(wish, m_wish) || time != m_withTime) return;
                           Shot& s = m_shots[static_cast<std::size_t>(at)];
                           s.problem = problem;
                           if (problem.isEmpty()) s.prepared = made;
                           m_base.reset();
                           emit changed();
                       };
                   });
    }
}

void PaletteModel::write(const QString& path, std::function<Status(const Job&)> work) {
    m_jobs.run("export", tr("Exporting"), [this, path, work = std::move(work)](const Job& job) -> JobService::Finish {
        const Status written = work(job);
        if (!written && written.error().message == kCancelled) return {};
        if (!written) return [this, sentence = QString::fromStdString(written.error().message)] { emit failed(sentence); };
        return [this, path] { emit exported(path); };
    });
}

void PaletteModel::exportPicture(const std::string& run, const QString& path, int dpi) {
    const auto recipe = recipeFor(run);
    if (!recipe) return emit failed(QString::fromStdString(recipe.error().message));
    const int at = place(QString::fromStdString(run));
    const std::string told = at < 0 ? std::string() : conditions(static_cast<std::size_t>(at)).toStdString();
    write(path, [recipe = *recipe, path, look = look(), told, dpi](const Job& job) -> Status {
        auto picture = compose(recipe, {}, job);
        if (!picture) return picture.error();
        if (!told.empty()) picture->conditions.insert(picture->conditions.begin(), told);
        return writeColourPicture(toPath(path), recipe, *picture, look, dpi);
    });
}

PaletteModel::PictureMaker PaletteModel::labelledPictures(QSize room) const {
    struct One {
        std::shared_ptr<const Prepared> prepared;
        Recipe recipe;
        LabelledPicture label;
    };
    std::vector<One> all;
    const Run* base = m_trial.baseline();
    for (std::size_t i = 0; i < m_shots.size(); ++i) {
        if (!m_shots[i].prepared) continue;
        One one{m_shots[i].prepared, partsOf(i), {}};
        one.label.name = QString("%1  %2").arg(m_shots[i].run, m_shots[i].name);
        one.label.lines = {conditions(i), timeText(i)};
        one.label.style = runStyle(m_trial, m_shots[i].run.toStdString(), base && base->id == m_shots[i].run.toStdString());
        all.push_back(std::move(one));
    }
    if (all.empty()) return {};
    return [all = std::move(all), room, look = *look()] {
        std::vector<LabelledPicture> out;
        for (const One& one : all) {
            out.push_back(one.label);
            out.back().image = shownImage(mix(sizeFor(*one.prepared, room), one.recipe), look);
        }
        return out;
    };
}

void PaletteModel::exportFlip(const QString& path) {
    if (std::count_if(m_shots.begin(), m_shots.end(), [](const Shot& s) { return s.prepared != nullptr; }) < 2)
        return emit failed(tr("A flip takes two pictures; so many are not there yet."));
    write(path, [pictures = labelledPictures(), path](const Job& job) { return writeFlip(toPath(path), pictures(), 1200, job); });
}

void PaletteModel::exportSheet(const QString& path) {
    auto pictures = labelledPictures();
    if (!pictures) return emit failed(tr("There is no picture yet."));
    QString title = QString::fromStdString(m_trial.title);
    QString foot;
    for (std::size_t i = 0; i < m_shots.size() && foot.isEmpty(); ++i) {
        if (!m_shots[i].prepared) continue;
        const Recipe r = partsOf(i);
        foot =
            tr("%1. One recipe and one look for all: what differs is the filter. %2").arg(QString::fromStdString(r.name), QString::fromStdString(mapText(r)));
    }
    write(path, [pictures = std::move(pictures), path, title, foot](const Job&) { return writeSheet(toPath(path), pictures(), title, foot); });
}

void PaletteModel::exportRecipes(const std::string& run, const QString& path) {
    const int at = place(QString::fromStdString(run));
    if (at < 0) return emit failed(tr("There is no picture yet."));
    const Shot& shot = m_shots[static_cast<std::size_t>(at)];
    write(path,
          [trial = m_trial, wish = m_wish, run, path, light = m_light, depth = m_depth, name = shot.name,
           told = conditions(static_cast<std::size_t>(at))](const Job& job) -> Status {
              std::vector<LabelledPicture> pictures;
              for (const RecipeStart& start : recipeStarts()) {
                  PaletteWish one = wish;
                  one.start = QString::fromStdString(start.id);
                  const auto recipe = recipeOf(trial, one, run);
                  if (!recipe) continue; // its stacks have not that light
                  const auto mixture = prepareMixture(*recipe, {}, false, job);
                  if (!mixture) return mixture.error();
                  const ColourPicture picture = mix(smaller(*mixture, std::max(1, std::max(mixture->width, mixture->height) / 1100)), *recipe);
                  LabelledPicture p;
                  p.image = shownImage(picture, lookOf(picture, light, depth));
                  p.name = QString::fromStdString(start.name);
                  p.lines = {QString::fromStdString(mapText(*recipe))};
                  pictures.push_back(std::move(p));
              }
              if (pictures.empty()) return Error{tr("The stacks of %1 have the light of no ready recipe.").arg(name).toStdString()};
              return writeSheet(toPath(path), pictures, name, told);
          });
}

} // namespace caelumen
