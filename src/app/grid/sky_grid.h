#pragma once

#include "app/grid/grid_map.h"
#include "app/grid/sky_grid_model.h"

#include <QTimer>
#include <QWidget>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QSlider;
class QSplitter;
class QTabWidget;
class QTextBrowser;
class QUrl;

namespace caelumen {

class MoonMap;
class PredictedView;
class Prompts;
class SlicePlot;

/// The Sky grid: does it hold under my sky? What is asked and what is turned about on the left; all filters under all skies in the middle, as a map, as lines
/// and by the moon; on the right what the chosen cell rests on, the places, and what to measure next.
class SkyGrid : public QWidget {
    Q_OBJECT

public:
    SkyGrid(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    SkyGridModel& model() { return m_model; }
    GridMap& map() { return *m_map; }
    MoonMap& moonMap() { return *m_moonMap; }
    SlicePlot& lines() { return *m_lines; }
    PredictedView& picture() { return *m_picture; }
    QSlider& hours() { return *m_hours; }
    QTabWidget& tabs() { return *m_tabs; }
    QTextBrowser& page() { return *m_page; }
    QComboBox& kindBox() { return *m_kind; }
    QComboBox& quantityBox() { return *m_quantity; }
    QComboBox& moonBox() { return *m_moonBox; }
    QDoubleSpinBox& readingBox() { return *m_reading; }

    QString tableText() const;                        ///< cells as they are shown, to copy
    QByteArray exported(const QString& ending) const; ///< empty where a picture cannot be made
    void askExport(const QString& ending);            ///< csv, json, png or svg
    void askCampaign();
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);
    void benchWanted(qint64 trial);
    void planWanted(const Trial& plan); ///< a night that measures what is missing

private:
    void fillTabs();
    void connectAll();
    QWidget* buildLeft();
    void fill();
    void fillMap();
    void fillPicture();
    void writePage();
    void followLink(const QUrl& link);
    void takeMoon();
    void takeWhatIf();
    void planNext(std::size_t index);
    GridPicture pictureOf() const;
    std::vector<FilterStyle> styles() const; ///< by filter of the grid, as everywhere in the window
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    SkyGridModel m_model;
    QComboBox *m_kind, *m_quantity, *m_moonBox, *m_camera;
    QSlider *m_lit, *m_moonHeight, *m_away, *m_lamps, *m_height, *m_ratio, *m_nitrogen, *m_brightness;
    QDoubleSpinBox* m_reading;
    QCheckBox *m_lampsFitted, *m_ownRatio;
    QLabel *m_litText, *m_moonHeightText, *m_awayText, *m_lampsText, *m_heightText, *m_ratioText, *m_nitrogenText, *m_brightnessText, *m_brightnessLabel;
    GridMap* m_map;
    MoonMap* m_moonMap;
    SlicePlot* m_lines;
    PredictedView* m_picture;
    QSlider* m_hours;
    QLabel* m_hoursText;
    QTabWidget* m_tabs;
    QTextBrowser* m_page;
    QSplitter* m_across;
    bool m_filling = false;
};

} // namespace caelumen
