#include "app/palette/palette_model.h"

#include "app/widgets/paths.h"
#include "report/colour_file.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// A picture as small as a screen needs, means of whole pixels.
std::shared_ptr<const ColourPicture> small(ColourPicture picture, int longest) {
    const int factor = std::max(1, std::max(picture.width, picture.height) / longest);
    if (factor > 1) {
        const int w = picture.width / factor, h = picture.height / factor;
        for (Plane& plane : picture.planes) {
            Plane to = Plane::unfilled(w, h);
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    float sum = 0;
                    for (int j = 0; j < factor; ++j)
                        for (int i = 0; i < factor; ++i) sum += plane.at(factor * x + i, factor * y + j);
                    to.at(x, y) = sum / static_cast<float>(factor * factor);
                }
            plane = std::move(to);
        }
        picture.width = w, picture.height = h;
        for (double& n : picture.noise) n /= factor;
    }
    return std::make_shared<const ColourPicture>(std::move(picture));
}

} // namespace

PaletteModel::PaletteModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session) {
    connect(&m_session, &Session::trialChanged, this, &PaletteModel::follow);
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
    if (same && m_made == m_wish) return;
    make();
}

void PaletteModel::setWish(const PaletteWish& wish) {
    if (wish == m_wish) return;
    m_wish = wish;
    if (m_active) make();
}

void PaletteModel::setLook(double light, double depth) {
    m_light = light, m_depth = depth;
    emit lookChanged();
}

std::optional<Look> PaletteModel::look() const {
    const Shot* quietest = nullptr;
    for (const Shot& s : m_shots)
        if (s.preview && (!quietest || s.base.noise < quietest->base.noise)) quietest = &s;
    return quietest ? std::optional(lookOf(quietest->base, m_light, m_depth)) : std::nullopt;
}

QImage PaletteModel::image(std::size_t shot) const {
    const auto all = look();
    return all && m_shots[shot].preview ? shownImage(*m_shots[shot].preview, *all) : QImage();
}

Result<Recipe> PaletteModel::recipeFor(const std::string& run) const {
    auto out = recipeOf(m_trial, m_wish, run);
    if (out) out->light = m_light, out->depth = m_depth;
    return out;
}

void PaletteModel::make() {
    for (const Shot& s : m_shots) m_jobs.cancel("picture " + s.run); // an export goes on
    m_made = m_wish;
    m_shots.clear();
    for (const Run& r : m_trial.runs) {
        const Filter* f = m_trial.filter(r.filter);
        m_shots.push_back({QString::fromStdString(r.id), QString::fromStdString(r.filter), QString::fromStdString(f ? f->name : r.filter), nullptr, {}, {}});
    }
    emit changed();
    for (const Shot& shot : m_shots) {
        m_jobs.run("picture " + shot.run, tr("Making the picture of %1").arg(shot.name),
                   [this, id = shot.run, wish = m_wish, trial = m_trial](const Job& job) -> JobService::Finish {
                       std::shared_ptr<const ColourPicture> picture;
                       QString problem;
                       const auto recipe = recipeOf(trial, wish, id.toStdString());
                       if (!recipe) {
                           problem = QString::fromStdString(recipe.error().message);
                       } else if (auto made = compose(*recipe, {}, job)) {
                           picture = small(std::move(*made), kPreview);
                       } else {
                           if (made.error().message == kCancelled) return {};
                           problem = QString::fromStdString(made.error().message);
                       }
                       const LookBase base = picture ? lookBase(*picture) : LookBase{};
                       return [this, id, wish, picture, problem, base] {
                           if (wish != m_wish) return;
                           for (Shot& s : m_shots)
                               if (s.run == id) s.preview = picture, s.problem = problem, s.base = base;
                           emit changed();
                       };
                   });
    }
}

void PaletteModel::exportPicture(const std::string& run, const QString& path) {
    const auto recipe = recipeFor(run);
    if (!recipe) return emit failed(QString::fromStdString(recipe.error().message));
    m_jobs.run("export", tr("Exporting"), [this, recipe = *recipe, path, look = look()](const Job& job) -> JobService::Finish {
        const auto picture = compose(recipe, {}, job);
        if (!picture && picture.error().message == kCancelled) return {};
        const Status written = picture ? writeColourPicture(toPath(path), recipe, *picture, look) : Status(picture.error());
        if (!written) return [this, sentence = QString::fromStdString(written.error().message)] { emit failed(sentence); };
        return [this, path] { emit exported(path); };
    });
}

} // namespace caelumen
