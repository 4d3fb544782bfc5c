#pragma once

#include "app/bench/bench_tools.h"
#include "app/bench/frame_view.h"
#include "app/session.h"
#include "core/prepare/lines.h"

#include <QWidget>

class QLabel;
class QSlider;
class QSplitter;
class QStackedWidget;

namespace caelumen {

class BlindPanel;
class EvidencePlot;
class FairnessList;
class HistogramStrip;
class LaneList;
class Prompts;
class ScoreBoard;
class ScorePanel;
class Welcome;

/// The Bench: which filter is better, and by how much? Lanes on the left, the aligned pictures in the middle, the evidence and what was unfair on the right,
/// the scores beneath.
class Bench : public QWidget {
    Q_OBJECT

public:
    Bench(Session& session, Prompts& prompts, QWidget* parent = nullptr);
    ~Bench() override;

    FrameView& view() { return *m_view; }
    LaneList& lanes() { return *m_lanes; }
    ScoreBoard& board() { return *m_board; }
    ScorePanel* panel(const QString& score) const;
    EvidencePlot& evidence() { return *m_evidence; }
    FairnessList& fairness() { return *m_fairness; }
    BenchTools& tools() { return *m_tools; }
    HistogramStrip& histogram() { return *m_histogram; }
    BlindPanel& blindPanel() { return *m_blindPanel; }
    Welcome& welcome() { return *m_welcome; }
    JobService& jobs() { return m_jobs; }

    void showEvidence(const QString& score, const QString& run);
    void flipTo(const QString& run);
    QString currentScore() const { return m_score; }
    void hideMarks();
    void themeChanged();
    void deleteSelectedRegion();
    void renameRegion(const QString& id);
    void setChannel(const QString& region, const QString& channel); ///< empty: the one of best SNR
    void setBaseline(const QString& run);
    void removeRun(const QString& run);
    void askSingleSub(const QString& run); ///< a sub to be shown beside its stack
    void askStack(const QString& run);     ///< where a frame lies that was moved
    void proposeRegions();
    void copyRegionsFrom(qint64 trial);
    void beginBlindLook(std::optional<std::uint64_t> seed = {}); ///< of the order; else nobody knows it
    void endBlindLook();
    bool isBlind() const { return m_blind; }
    std::vector<Campaign::Entry> trialsToCopyFrom(); ///< of the same target, with regions
    QString figuresAsText() const;                   ///< the five scores as a tab-separated table
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void factsAsked(const QString& run);
    void framesWanted();
    void status(const QString& text);
    void told(const QString& sentence);
    void problem(const QString& sentence);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void focusInEvent(QFocusEvent* event) override; ///< goes to the pictures; as a proxy they would be all that Tab finds on the way here

private:
    void layOut();
    void connectAll();
    void trialChanged();
    void resultsChanged();
    void fillScores();
    void fillAnswer();
    void refreshEvidence();
    QString regionOfScore(const QString& score) const; ///< the nebula or halo star that it is of; empty without
    QString chosenRegion(RegionRole role) const;

    // Pictures (bench_pictures.cpp).
    void picturesChanged();
    std::vector<ViewLane> viewLanes() const;
    Showing showingOf(const PicturePyramid& picture, const Run& run) const;
    void stretchLanes(std::vector<ViewLane>& lanes);
    void hovered(const Point& at, bool inside);
    std::vector<double> pixelsOf(const std::string& run, const Region& region, const std::string& channel) const;
    void savePlot(const QString& suffix);
    void addSingleSubs(std::vector<ViewLane>& lanes) const;
    static QString runOfLane(const QString& lane); ///< of a single sub its run, else itself
    QString skyPlaceOf(const Point& at) const;

    // Regions and runs (bench_regions.cpp).
    void drawn(Region region);
    void changed(const Region& region);
    Point snapped(const Point& at) const;
    void regionMenu(const QString& region, const Point& at, const QPoint& global);
    void laneMenu(const QPoint& at);

    // Blind look (bench_blind.cpp).
    void revealBlindLook();

    Session& m_session;
    Prompts& m_prompts;
    JobService m_jobs;
    QStackedWidget* m_left;
    LaneList* m_lanes;
    BlindPanel* m_blindPanel;
    FrameView* m_view;
    Welcome* m_welcome;
    QStackedWidget* m_middle; ///< the view, or the welcome
    BenchTools* m_tools;
    QWidget* m_levels;
    HistogramStrip* m_histogram;
    QSlider *m_brightness, *m_contrast;
    EvidencePlot* m_evidence;
    FairnessList* m_fairness;
    QSplitter *m_right, *m_across, *m_down;
    ScoreBoard* m_board;
    QString m_score = "nebula", m_run;
    std::map<QString, LineMatrix> m_lineMatrices; ///< by run
    /// A sub shown beside the stack of its run, as one lane more.
    struct SingleSub {
        QString file;
        std::shared_ptr<const PicturePyramid> picture;
        Alignment alignment;
    };
    std::map<QString, SingleSub> m_subs; ///< by run
    /// What a histogram was counted from, and the counts: dragging a mark counts nothing anew.
    struct Counted {
        std::shared_ptr<const PicturePyramid> picture;
        Showing showing;
        Stretch scale;
        std::vector<double> parts;
    };
    std::map<QString, Counted> m_counted; ///< by lane
    std::optional<Stretch> m_points;      ///< black, middle and white as a person set them
    QTimer m_evidenceSoon;
    qint64 m_trialShown = 0;
    int m_nudges = 1;
    bool m_blind = false, m_marked = false;
};

} // namespace caelumen
