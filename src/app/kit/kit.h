#pragma once

#include "app/filter_curve.h"
#include "app/job_service.h"
#include "app/kit/kit_text.h"
#include "app/session.h"
#include "report/filter_style.h"

#include <QTimer>
#include <QWidget>

#include <filesystem>
#include <map>

class QAction;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLayout;
class QListWidget;
class QPushButton;
class QSlider;
class QSplitter;
class QTabWidget;
class QToolButton;
class QTextBrowser;

namespace caelumen {

class FilterTable;
class GhostPanel;
class PassbandPlot;
class Prompts;
class RatioPlot;

/// The Kit: what is this filter, really? The trial's filters on the left; the chosen one's curve over lamps, lines and camera in the middle, with the cone of
/// light that moves its bands; on the right what that means.
class Kit : public QWidget {
    Q_OBJECT

public:
    Kit(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    void chooseFilter(const QString& id);
    QString currentFilter() const;
    LightCone cone() const;
    const Camera& camera() const; ///< the one chosen
    const KitFacts& facts() const { return m_facts; }

    /// Gives the chosen filter a curve from a file; what is wrong with the file is told through problem().
    void takeCurve(const QString& path);
    void askCurve();
    void askChart();                     ///< for a picture of a printed chart
    void readChart(const QString& path); ///< lets the chart be traced, and saves and takes its curve
    void askFacts();                     ///< of the chosen filter
    void askSite();
    void askRig();
    void askClaimedCurve(); ///< the maker's own
    void askTolerance();
    void addStarter(const std::string& id); ///< of the starter library
    void newFilter();
    void askOtherCampaign();
    void takeShelved();  ///< described in a dialog
    void addNoFilter();  ///< the empty place, to compare with
    void removeFilter(); ///< the chosen one, when no run used it
    void askCamera();    ///< for the file of a camera of one's own
    void takeCamera(const QString& path);
    void askCameraFacts(); ///< of the chosen camera; a typical one is copied
    void removeCamera();   ///< the chosen one, when it is one's own
    void askExportCamera();
    void askExport();
    void askImport();
    void importKit(const QString& path); ///< a kit (JSON) or a table of filters (CSV)
    QString tableText() const { return kitTable(m_facts); }
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

    QListWidget& filters() { return *m_filters; }
    QSlider& ratioSlider() { return *m_ratio; }
    QTextBrowser& page() { return *m_page; }
    GhostPanel& ghosts() { return *m_ghosts; }
    FilterTable& sideBySide() { return *m_sideBySide; }
    QTabWidget& lower() { return *m_lower; }
    QComboBox& light() { return *m_light; }
    QComboBox& cameraBox() { return *m_camera; }
    QComboBox& gainBox() { return *m_gain; }
    PassbandPlot& passbandPlot() { return *m_plot; }

signals:
    void told(const QString& sentence); ///< what went well
    void problem(const QString& sentence);
    void cameraChanged(); ///< another one is looked through

private:
    QWidget* buildLeft();
    QWidget* buildMiddle();
    void connectAll();
    QWidget* buildControls();
    QLayout* buildCone();
    QLayout* buildCamera();
    void giveGain(int index); ///< the chosen one to the trial's rig
    QWidget* buildMenus();
    void showGhosts(const Filter* filter);
    void takeCurve(const Filter& filter, const FilterCurve& known, const LightCone& cone);
    void holdAgainst(const Filter& filter, const Filter& shelved);
    void takeMeasured(const Filter& filter, const ConeShift& shift);
    std::filesystem::path curveFolder() const;
    void fillCameras(const QString& chosen);
    void keepCamera(const Camera& camera);
    void addFilter(Filter filter); ///< under an id of its own
    void traceChart(const QImage& picture, const QString& name, const QString& path);
    void giveCamera(); ///< the chosen one to the trial's rig
    void fillGains();
    void keepChoices(); ///< camera, light and tilt, for the next start
    void restoreChoices();
    static ClaimTolerance keptTolerance(); ///< how far a curve may lie from a claim: a matter of the person, not of a trial
    void trialChanged();
    void showEvent(QShowEvent* event) override;
    void fillFilters();
    void refresh();
    void writePage();
    FilterCurve curveOf(const Filter& filter);
    const Curve* curveIn(const std::string& file);
    FilterStyle styleOf(const std::string& filter) const;
    QColor colourOf(const std::string& filter) const;

    Session& m_session;
    Prompts& m_prompts;
    JobService m_jobs;
    QListWidget* m_filters;
    QPushButton *m_import, *m_chart, *m_edit;
    QSlider* m_ratio;
    QLabel* m_ratioText;
    QDoubleSpinBox *m_obstruction, *m_index, *m_tilt;
    QComboBox *m_camera, *m_gain, *m_light;
    QCheckBox* m_all;
    PassbandPlot* m_plot;
    RatioPlot* m_ratios;
    GhostPanel* m_ghosts;
    FilterTable* m_sideBySide;
    QTabWidget* m_lower;
    QAction* m_remove = nullptr;
    QTextBrowser* m_page;
    QSplitter *m_across, *m_down;
    std::vector<Camera> m_cameras; ///< typical ones, then one's own
    qint64 m_trial = 0;            ///< whose rig the controls were set from
    Rig m_rig;
    Rig m_known; ///< telescope and camera, headers included
    KitFacts m_facts;
    std::string m_indexOf;                      ///< the filter from which the index was set
    QTimer m_pageLater;                         ///< while the slider is dragged
    bool m_stale = true;                        ///< the trial has changed while the Kit was out of sight
    std::map<std::string, unsigned> m_readings; ///< of the curves, by file: a changed one starts anew
    /// The fastest f-ratios of a filter depend on all but the slider: kept while that moves.
    struct Fastest {
        std::string filter, file;
        double obstruction = 0, index = 0;
        std::vector<FastestRatio> lines;
        friend bool operator==(const Fastest& a, const Fastest& b) {
            return a.filter == b.filter && a.file == b.file && a.obstruction == b.obstruction && a.index == b.index;
        }
    } m_fastest;
};

} // namespace caelumen
