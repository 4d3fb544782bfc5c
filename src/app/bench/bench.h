#pragma once

#include "app/bench/frame_view.h"
#include "app/session.h"

#include <QWidget>

class QAction;
class QActionGroup;
class QLabel;
class QSlider;
class QSplitter;
class QToolBar;

namespace caelumen {

class EvidencePlot;
class FairnessList;
class LaneList;
class Prompts;
class ScorePanel;

/// The Bench: which filter is better, and by how much? Lanes on the left, the aligned pictures in the middle, the evidence and what was unfair on the right,
/// the five scores beneath.
class Bench : public QWidget {
    Q_OBJECT

public:
    enum class StretchMode { Shared, OwnSky };

    Bench(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    FrameView& view() { return *m_view; }
    LaneList& lanes() { return *m_lanes; }
    ScorePanel* panel(const QString& score) const;
    EvidencePlot& evidence() { return *m_evidence; }
    FairnessList& fairness() { return *m_fairness; }
    QToolBar& tools() { return *m_tools; }

    void showEvidence(const QString& score, const QString& run);
    void flipTo(const QString& run);
    QString currentScore() const { return m_score; }
    void setStretchMode(StretchMode mode);
    StretchMode stretchMode() const { return m_mode; }
    void themeChanged();
    void deleteSelectedRegion();
    void renameRegion(const QString& id);
    void setBaseline(const QString& run);
    void removeRun(const QString& run);
    QString figuresAsText() const; ///< the five scores as a tab-separated table
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void factsAsked(const QString& run);
    void framesWanted();
    void status(const QString& text);

private:
    void buildTools();
    void trialChanged();
    void resultsChanged();
    void picturesChanged();
    void restretch();
    void fillScores();
    void fillAnswer();
    void refreshEvidence();
    void drawn(Region region);
    void changed(const Region& region);
    void laneMenu(const QPoint& at);
    QString nebulaRegion() const;
    const Region* regionOfRole(RegionRole role) const;

    Session& m_session;
    Prompts& m_prompts;
    LaneList* m_lanes;
    FrameView* m_view;
    EvidencePlot* m_evidence;
    FairnessList* m_fairness;
    QLabel* m_answer;
    QLabel* m_fairTitle;
    QToolBar* m_tools;
    QSplitter* m_across;
    QSplitter* m_down;
    QActionGroup* m_toolGroup = nullptr;
    QAction* m_stretchAction = nullptr;
    QAction* m_regionsAction = nullptr;
    QSlider* m_brightness = nullptr;
    QSlider* m_contrast = nullptr;
    std::vector<ScorePanel*> m_panels;
    std::map<QString, std::shared_ptr<PicturePainter>> m_painters;
    QString m_score = "nebula", m_run;
    StretchMode m_mode = StretchMode::Shared;
    int m_nudges = 1;
};

} // namespace caelumen
