#pragma once

#include "app/job_service.h"
#include "app/session.h"
#include "core/plan/plan_out.h"
#include "core/plan/suggest.h"
#include "core/simulate/virtual_sky.h"

#include <QObject>
#include <QTimeZone>

namespace caelumen {

/// The night that is planned, and all that follows from it. The plan lives in the trial: every edit goes through the session, can be undone and is saved at
/// once; a drag is only tried until it ends.
class NightModel : public QObject {
    Q_OBJECT

public:
    explicit NightModel(Session& session, QObject* parent = nullptr);

    const Plan& plan() const { return m_plan; } ///< with what is being tried
    const Trial& trial() const { return m_session.trial(); }
    const TrialResults* results() const { return m_session.results(); } ///< of the trial's runs; may be null
    bool ready() const { return m_track.has_value(); }
    const QString& problem() const { return m_problem; } ///< why there is no night, or why the blocks do not fit
    const NightTrack& track() const { return *m_track; }
    const std::vector<PlanFilter>& filters() const { return m_filters; }
    const PlanRig& rig() const { return m_rig; }
    const Camera& camera() const { return m_camera; }
    const DeepSky& target() const { return m_target; } ///< from the catalogue, or the trial's bare position
    const std::vector<Balance>& balance() const { return m_balance; }
    const Forecasts& forecasts() const { return m_forecast; }
    const std::vector<std::string>& blockTroubles() const { return m_troubles; }
    std::vector<SubLength> subLengths() const;
    std::pair<double, double> field_deg() const; ///< of the frame
    QSize frame() const;                         ///< of the trial's frames, else a usual one
    bool frameKnown() const { return !m_session.frameSize().isEmpty() || (m_camera.width_px > 0 && !m_session.trial().rig.camera.empty()); }
    QString horizonText() const;                                       ///< its points, to tell one horizon from another
    const std::vector<DeepSky>& targets() const { return *m_targets; } ///< one's own first, then the catalogue
    const std::vector<Suggestion>& suggestions() const { return m_suggestions; }
    /// Foretold e-/s/px of each filter at each sample of the track, in its darkest channel; empty without a sky brightness.
    const std::vector<std::pair<std::string, std::vector<double>>>& skies() const { return m_skies; }

    QTimeZone zone() const;
    QDateTime timeAt(double second) const; ///< in the site's zone

    /// Works things out only while somebody looks: a region dragged on the Bench must not wait for a night.
    void setActive(bool active);
    void setCamera(const Camera& camera);
    void edit(const QString& what, Plan plan);           ///< lays the blocks anew
    int moveBlock(int index, double start_s, bool done); ///< where in the row it stands now: a block that is let go may have passed another
    void tick(const std::string& point, bool done);
    void fitSubs();
    /// One length for all filters, or each its own: sky-limited, within 5 s and 20 min, rounded to what hands would choose.
    void setOwnLengths(bool own);
    static std::vector<double> darksAtHand(); ///< lengths (s) of the person's dark library
    static QString darksText();
    static bool setDarks(const QString& text); ///< false where the text holds what is no length
    /// A made-up sky meter and cloud sensor beside the telescope; the date is the seed.
    void setVirtual(bool on);
    const VirtualSky* virtualSky() const { return m_virtual ? &*m_virtual : nullptr; }
    double cloudedPart() const; ///< of the blocks' light, by the virtual sensor
    void setTarget(const DeepSky& target);
    void setDate(const QString& date);
    void setZone(const QString& id);
    Status addTargets(const QString& path);

signals:
    void changed();       ///< anything
    void blocksChanged(); ///< only the blocks, while one is dragged
    void suggestionsChanged();
    void failed(const QString& sentence);

private:
    void follow();
    void derive();
    void deriveBlocks();
    QString chosenFilters() const;
    void suggest();
    Plan planOf(const Trial& trial) const;

    Session& m_session;
    JobService m_jobs;
    Plan m_plan;
    QString m_problem;
    std::optional<NightTrack> m_track;
    QString m_trackOf;
    QSize m_frame;
    bool m_active = false, m_stale = true;
    bool m_wantsVirtual = false;
    std::optional<VirtualSky> m_virtual;
    Camera m_camera;
    PlanRig m_rig;
    DeepSky m_target;
    std::vector<PlanFilter> m_filters;
    QString m_filtersOf;
    std::vector<Balance> m_balance;
    Forecasts m_forecast;
    std::vector<std::string> m_troubles;
    std::shared_ptr<const std::vector<DeepSky>> m_targets;
    std::vector<Suggestion> m_suggestions;
    QString m_suggestionsOf;
    std::vector<std::pair<std::string, std::vector<double>>> m_skies;
};

} // namespace caelumen
