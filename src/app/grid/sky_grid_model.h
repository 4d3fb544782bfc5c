#pragma once

#include "app/job_service.h"
#include "app/session.h"
#include "core/grid/contour.h"
#include "core/grid/frontier.h"
#include "core/grid/grid.h"
#include "core/grid/predicted.h"

#include <QObject>

#include <set>

namespace caelumen {

/// What a person may turn about: the sky, the telescope, the light of the target.
struct WhatIf {
    std::optional<double> ledShare; ///< 0 all sodium, 1 all LED; nothing: as each place was fitted
    double altitude_deg = 60;
    std::optional<double> fRatio;
    QString camera; ///< id; empty: the trial's
    double nitrogen = 1.0 / 3;
    std::optional<double> reading; ///< of one's own meter, mag per square arcsecond: a column of its own
    friend bool operator==(const WhatIf&, const WhatIf&) = default;
};

/// All trials of the campaign (and of others that a person adds) as one grid. Trials are measured in the background, once; whatever is turned about is followed
/// away from the interface thread, the newest wish first.
class SkyGridModel : public QObject {
    Q_OBJECT

public:
    explicit SkyGridModel(Session& session, QObject* parent = nullptr);

    /// Measures and follows only while some view looks at it.
    void setActive(const QObject* view, bool active);
    /// The trials that are measured, the one in hand first.
    const std::vector<GridTrial>& measured() const { return m_ready; }
    JobService& jobs() { return m_jobs; }

    const GridModel* grid() const { return m_grid.get(); } ///< null until there is something to show
    const QString& problem() const { return m_problem; }   ///< why there is nothing
    bool busy() const { return m_jobs.busy() || m_steps.busy() || m_conclusions.busy() || m_predictions.busy(); }

    const GridQuestion& question() const { return m_question; }
    const std::vector<GridCell>& cells() const { return m_cells; } ///< rows of filters, columns of the question's skies
    const std::vector<Frontier>& borders() const { return m_borders; }
    const std::vector<NextMeasurement>& next() const { return m_next; }
    const ValueGrid& lattice() const { return m_lattice; } ///< of the chosen filter: columns brightness, rows lit part of the moon
    const WhatIf& whatIf() const { return m_whatIf; }
    std::optional<GridMoon> moon() const { return m_moon; }

    void setKind(TargetKind kind);
    void setQuantity(GridQuantity quantity);
    void setBrightness(std::optional<double> brightness);
    void setMoon(std::optional<GridMoon> moon);
    void setWhatIf(const WhatIf& whatIf);
    /// What the chosen filter would show under a sky, and the baseline beside it; nothing where that cannot be foretold.
    const std::optional<std::array<PredictedPicture, 2>>& pictures() const { return m_pictures; }
    const PictureWish& pictureWish() const { return m_wish; }
    void wantPicture(bool wanted); ///< worked out only while somebody looks
    void setPictureSky(const GridSky& sky);
    void setPictureHours(double hours);
    void chooseFilter(const QString& id); ///< whose lattice and picture are worked out
    const QString& filter() const { return m_filter; }

    Status addCampaign(const QString& path); ///< its trials are laid into the same grid
    QStringList otherCampaigns() const { return m_others; }
    void forgetOthers();
    qint64 trialOf(const std::string& name) const; ///< in this campaign; 0: another's

    static constexpr double kBrightest = 17.3, kDarkest = 22; ///< of the lattice, mag per square arcsecond
    static constexpr std::size_t kLatticeColumns = 33, kLatticeRows = 21;

signals:
    void changed();
    void pictureChanged();
    void failed(const QString& sentence);

private:
    struct Known {
        QString name;
        qint64 id = 0; ///< 0: another campaign's
        Trial trial;
        std::shared_ptr<const TrialResults> results;
        QString problem;
    };
    /// What the fitted model rests on: as long as it is the same, the fit stays.
    struct BuiltFrom {
        std::optional<double> fRatio;
        QString camera;
        double nitrogen = 0;
        std::vector<const TrialResults*> results;
        friend bool operator==(const BuiltFrom&, const BuiltFrom&) = default;
    };
    void follow();
    void measureMissing();
    void build();
    void step();
    void conclude();
    void predict();

    Session& m_session;
    JobService m_jobs, m_steps, m_conclusions, m_predictions;
    std::set<const QObject*> m_views;
    bool m_stale = true;
    QStringList m_others;
    std::vector<Known> m_trials;
    std::vector<GridTrial> m_ready;
    QString m_problem, m_filter;
    std::shared_ptr<const GridModel> m_grid;
    BuiltFrom m_builtFrom;
    GridQuestion m_question;
    std::optional<GridMoon> m_moon;
    WhatIf m_whatIf;
    bool m_kindChosen = false, m_altitudeChosen = false, m_moonChosen = false; ///< else as in the trial in hand
    std::vector<GridCell> m_cells;
    std::vector<Frontier> m_borders;
    std::vector<NextMeasurement> m_next;
    ValueGrid m_lattice;
    bool m_wantsPicture = false;
    std::optional<GridSky> m_pictureSky; ///< none: the middle class
    PictureWish m_wish;
    std::optional<std::array<PredictedPicture, 2>> m_pictures;
};

} // namespace caelumen
