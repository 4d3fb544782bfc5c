#pragma once

#include "app/job_service.h"
#include "app/palette/palette_recipe.h"
#include "app/session.h"
#include "core/palette/compose.h"

#include <QImage>
#include <QObject>

namespace caelumen {

/// The same recipe for every filter of the trial. Pictures are made in the background and kept as small as a screen needs; how they are shown (light, depth) is
/// changed at once and alike for all.
class PaletteModel : public QObject {
    Q_OBJECT

public:
    explicit PaletteModel(Session& session, QObject* parent = nullptr);

    struct Shot {
        QString run, filter, name;                    ///< id of the run and of its filter; the filter's name
        std::shared_ptr<const ColourPicture> preview; ///< null: on its way, or see `problem`
        QString problem;
        LookBase base = {}; ///< of the preview
    };
    void setActive(bool active);
    bool busy() const { return m_jobs.busy(); }
    JobService& jobs() { return m_jobs; }
    const std::vector<Shot>& shots() const { return m_shots; }
    QImage image(std::size_t shot) const; ///< of its preview, with the look of all
    std::optional<Look> look() const;     ///< one for all: by the quietest picture, which shows most
    const PaletteWish& wish() const { return m_wish; }
    void setWish(const PaletteWish& wish);
    double light() const { return m_light; }
    double depth() const { return m_depth; }
    void setLook(double light, double depth);

    /// The recipe of one run; a sentence where its stack has not what it takes.
    Result<Recipe> recipeFor(const std::string& run) const;
    /// Full size, in the background.
    void exportPicture(const std::string& run, const QString& path);

    static constexpr int kPreview = 1100; ///< pixels of a preview's longer side, at most twice

signals:
    void changed();
    void lookChanged();
    void exported(const QString& path);
    void failed(const QString& sentence);

private:
    void follow();
    void make();

    Session& m_session;
    JobService m_jobs;
    bool m_active = false, m_stale = true;
    Trial m_trial; ///< that the pictures are of
    PaletteWish m_wish, m_made;
    double m_light = 0.5, m_depth = 0.5;
    std::vector<Shot> m_shots;
};

} // namespace caelumen
