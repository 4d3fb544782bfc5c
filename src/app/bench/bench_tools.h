#pragma once

#include "app/bench/region_tool.h"

#include <QTimer>
#include <QToolBar>

#include <functional>
#include <map>
#include <vector>

class QActionGroup;
class QMenu;
class QToolButton;

namespace caelumen {

class FrameView;

/// How greys are made of rates.
enum class StretchMode { Shared, OwnSky, Linear };
/// What of each frame is seen.
enum class LookAt { Colours, Red, Green, Blue, RedLine, Oxygen };

QString stretchName(StretchMode mode);
QString lookName(LookAt look);

/// What can be done with the pictures of the Bench, each with a key that works wherever the focus is.
class BenchTools : public QToolBar {
    Q_OBJECT

public:
    explicit BenchTools(FrameView& view, QWidget* parent = nullptr);

    StretchMode stretchMode() const { return m_stretch; }
    void setStretchMode(StretchMode mode);
    LookAt look() const { return m_look; }
    void setLook(LookAt look);
    QAction* levels() const { return m_levels; } ///< checked: histogram and sliders are shown
    QAction* blind() const { return m_blind; }
    QAction* turns() const { return m_turns; }
    void setPace(double seconds); ///< of the flip that goes by itself
    double pace() const { return m_timer.interval() / 1000.0; }
    void setBlind(bool on); ///< what tells the filters apart is put away
    void themeChanged();
    std::vector<QAction*> keyActions() const; ///< those with a key, menus' too

signals:
    void stretchModeChanged();
    void lookChanged();

private:
    void addRegionTools();
    void addPlaces();
    void addModes();
    void addTurning();
    void addLooks();
    void addKeys();
    QAction* add(const char* icon, const QString& name, const QString& key);
    QAction* region(const char* icon, const QString& name, const QString& key, RegionKind kind);
    QToolButton* withMenu(QAction* first, const std::vector<QAction*>& all);
    QToolButton* choice(QMenu* menu, const QString& tip, const QString& name);
    void follow();

    FrameView& m_view;
    QActionGroup* m_regionTools;
    std::map<int, QAction*> m_modes, m_looks, m_stretches;
    QAction *m_lookTool, *m_ratio, *m_marks, *m_levels, *m_turns, *m_blind;
    QToolButton *m_lookButton, *m_stretchButton;
    std::vector<QAction*> m_all;
    StretchMode m_stretch = StretchMode::Shared;
    LookAt m_look = LookAt::Colours;
    QTimer m_timer;
};

} // namespace caelumen
