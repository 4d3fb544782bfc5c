#pragma once

#include "app/job_service.h"
#include "app/palette/palette_recipe.h"
#include "app/session.h"
#include "core/palette/colour_vision.h"
#include "core/palette/mixture_shelf.h"
#include "report/picture_sheet.h"

#include <QImage>
#include <QObject>

namespace caelumen {

enum class PaletteTime { AsItWas, SameForAll, SameDepth };

/// The same recipe for every filter of the trial. What a picture is mixed of is read and prepared in the background and kept at the sizes that a screen needs
/// and at full size (MixtureShelf); parts, time and look are then changed at once and alike for all.
class PaletteModel : public QObject {
    Q_OBJECT

public:
    explicit PaletteModel(Session& session, QObject* parent = nullptr);

    /// What is kept of one picture.
    struct Prepared {
        std::vector<Mixture> sizes; ///< largest first, each half of the one before
        std::unique_ptr<const MixtureShelf> shelf;
        Recipe recipe;
        double depthPerHour = 0, ownHours = 0;
    };
    struct Shot {
        QString run, filter, name;                ///< id of the run and of its filter; the filter's name
        std::shared_ptr<const Prepared> prepared; ///< null: on its way, or see `problem`
        QString problem;
    };
    void setActive(bool active);
    bool busy() const { return m_jobs.busy(); }
    JobService& jobs() { return m_jobs; }
    const std::vector<Shot>& shots() const { return m_shots; }
    int place(const QString& run) const; ///< among the shots; -1: none

    const PaletteWish& wish() const { return m_wish; }
    void setWish(const PaletteWish& wish);
    double light() const { return m_light; }
    double depth() const { return m_depth; }
    void setLook(double light, double depth);
    PaletteTime time() const { return m_time; }
    double hours() const { return m_hours; }
    /// SameForAll: of every filter. SameDepth: of the filter that shows the target soonest; the others take as long as they need to show it as well.
    void setTime(PaletteTime time, double hours);
    void setEyes(ColourVision eyes);

    /// Hours that a shot is shown from; empty: its own, or nothing is seen that could be made as deep.
    std::optional<double> hoursOf(std::size_t shot) const;
    /// Whether depth is the nebula's signal over noise that the Bench measured, for all of them; else that of the pictures' brightest nebula.
    bool depthIsMeasured() const;
    QString timeText(std::size_t shot) const;                ///< "20 x 180 s", "as from 4.5 h (predicted)"
    QSize sizeOf(std::size_t shot) const;                    ///< full size, pixels; empty without a picture
    QImage image(std::size_t shot, QSize room) const;        ///< at least as large as the room, where there are pixels for it
    QImage part(std::size_t shot, const QRect& place) const; ///< at full size
    /// Without its pixels: what was done, what should be known.
    ColourPicture told(std::size_t shot) const;
    std::optional<Look> look() const; ///< one for all: by the quietest picture, which shows most
    QString conditions(std::size_t shot) const;

    /// What makes the pictures that are there, in a worker's own time: as they are shown, but never as other eyes see them.
    using PictureMaker = std::function<std::vector<LabelledPicture>()>;
    PictureMaker labelledPictures(QSize room = {1600, 1200}) const;

    /// The recipe of one run with its parts, look and time; a sentence where its stack has not what it takes.
    Result<Recipe> recipeFor(const std::string& run) const;
    /// Full size, in the background.
    void exportPicture(const std::string& run, const QString& path, int dpi);
    /// All pictures in turn (animated WebP), side by side (PNG).
    void exportFlip(const QString& path);
    void exportSheet(const QString& path);
    /// One filter by every ready recipe that its stacks have the light for, side by side (PNG).
    void exportRecipes(const std::string& run, const QString& path);

    static constexpr int kPreview = 1100; ///< pixels of the largest preview's longer side, at most twice

signals:
    void changed();     ///< pictures came or went
    void lookChanged(); ///< the pictures are the same, shown otherwise
    void exported(const QString& path);
    void failed(const QString& sentence);

private:
    void follow();
    void make();
    std::optional<double> measuredDepth(const QString& run) const;
    double depthOf(std::size_t shot) const;
    Recipe partsOf(std::size_t shot) const;
    QImage shown(const Mixture& mixture, std::size_t shot) const;
    static const Mixture& sizeFor(const Prepared& prepared, QSize room);
    void write(const QString& path, std::function<Status(const Job&)> work);

    Session& m_session;
    JobService m_jobs;
    bool m_active = false, m_stale = true, m_withTime = false;
    Trial m_trial; ///< that the pictures are of
    PaletteWish m_wish, m_made;
    double m_light = 0.5, m_depth = 0.5, m_hours = 2;
    PaletteTime m_time = PaletteTime::AsItWas;
    ColourVision m_eyes = ColourVision::Usual;
    std::vector<Shot> m_shots;
    mutable std::optional<LookBase> m_base; ///< of the look; empty: to be found again
    mutable std::optional<std::pair<Look, LookTable>> m_table;
};

} // namespace caelumen
