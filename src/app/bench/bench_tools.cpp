#include "app/bench/bench_tools.h"

#include "app/bench/frame_view.h"
#include "app/widgets/theme.h"

#include <QActionGroup>
#include <QMenu>
#include <QToolButton>

namespace caelumen {

QString stretchName(StretchMode mode) {
    switch (mode) {
    case StretchMode::Shared:
        return BenchTools::tr("One stretch");
    case StretchMode::OwnSky:
        return BenchTools::tr("Own sky");
    case StretchMode::Linear:
        return BenchTools::tr("Linear");
    }
    return {};
}

QString lookName(LookAt look) {
    switch (look) {
    case LookAt::Colours:
        return BenchTools::tr("Colours");
    case LookAt::Red:
        return BenchTools::tr("Red");
    case LookAt::Green:
        return BenchTools::tr("Green");
    case LookAt::Blue:
        return BenchTools::tr("Blue");
    case LookAt::RedLine:
        return BenchTools::tr("Hydrogen");
    case LookAt::Oxygen:
        return BenchTools::tr("Oxygen");
    }
    return {};
}

QAction* BenchTools::add(const char* icon, const QString& name, const QString& key) {
    auto* action = new QAction(themedIcon(icon), name, this);
    action->setData(QString(icon));
    if (!key.isEmpty()) action->setShortcut(QKeySequence(key));
    action->setShortcutContext(Qt::WindowShortcut); // only while the Bench is in sight: Qt asks the widgets that have the action
    action->setToolTip(key.isEmpty() ? name : QString("%1 (%2)").arg(name, key));
    m_all.push_back(action);
    return action;
}

QAction* BenchTools::region(const char* icon, const QString& name, const QString& key, RegionKind kind) {
    QAction* action = add(icon, name, key);
    action->setCheckable(true);
    m_regionTools->addAction(action);
    connect(action, &QAction::triggered, this, [this, kind] { m_view.setTool(kind); });
    return action;
}

QToolButton* BenchTools::withMenu(QAction* first, const std::vector<QAction*>& all) {
    auto* button = new QToolButton;
    auto* menu = new QMenu(button);
    for (QAction* a : all) {
        menu->addAction(a);
        connect(a, &QAction::triggered, button, [button, a] { button->setDefaultAction(a); });
    }
    button->setMenu(menu);
    button->setPopupMode(QToolButton::MenuButtonPopup);
    button->setDefaultAction(first);
    button->setFocusPolicy(Qt::TabFocus);
    addWidget(button);
    return button;
}

QToolButton* BenchTools::choice(QMenu* menu, const QString& tip, const QString& name) {
    auto* button = new QToolButton;
    menu->setParent(button, menu->windowFlags());
    button->setMenu(menu);
    button->setPopupMode(QToolButton::InstantPopup);
    button->setToolButtonStyle(Qt::ToolButtonTextOnly);
    button->setToolTip(tip);
    button->setAccessibleName(name);
    button->setFocusPolicy(Qt::TabFocus);
    addWidget(button);
    return button;
}

BenchTools::BenchTools(FrameView& view, QWidget* parent)
    : QToolBar(parent)
    , m_view(view)
    , m_regionTools(new QActionGroup(this)) {
    setIconSize({18, 18});
    addRegionTools();
    addPlaces();
    addModes();
    addTurning();
    addLooks();
    addKeys();
    connect(&m_view, &FrameView::modeChanged, this, &BenchTools::follow);
    connect(&m_view, &FrameView::toolDone, this, [this] {
        m_view.setTool({});
        m_lookTool->setChecked(true);
    });
    follow();
    setLook(m_look);
    setStretchMode(m_stretch);
}

void BenchTools::addRegionTools() {
    m_lookTool = add("hand", tr("Look and move"), "Q");
    m_lookTool->setCheckable(true);
    m_lookTool->setChecked(true);
    m_regionTools->addAction(m_lookTool);
    connect(m_lookTool, &QAction::triggered, this, [this] { m_view.setTool({}); });
    addAction(m_lookTool);
    using enum RegionRole;
    using enum RegionShape;
    QAction* nebula = region("nebula", tr("Draw a nebula circle"), "N", {Nebula, Circle});
    withMenu(nebula, {nebula, region("polygon", tr("Draw a nebula outline: click its corners, or draw it freely"), "O", {Nebula, Polygon}),
                      region("sky", tr("Draw a nebula rectangle"), "Shift+N", {Nebula, Rect})});
    QAction* sky = region("sky", tr("Draw a sky rectangle"), "S", {Sky, Rect});
    withMenu(sky, {sky, region("nebula", tr("Draw a sky circle"), "Shift+S", {Sky, Circle}),
                   region("polygon", tr("Draw a sky outline: click its corners, or draw it freely"), "Shift+O", {Sky, Polygon})});
    addAction(region("halo", tr("Mark a bright star for its halo"), "H", {HaloStar, Star}));
    addSeparator();
}

void BenchTools::addPlaces() {
    QAction* whole = add("whole", tr("Whole frame"), "W");
    connect(whole, &QAction::triggered, this, [this] { m_view.fitFrame(); });
    QAction* pixels = add("pixels", tr("Pixel for pixel"), "P");
    connect(pixels, &QAction::triggered, this, [this] { m_view.zoomTo(1.0 / devicePixelRatioF(), QRectF(m_view.rect()).center()); });
    m_marks = add("marks", tr("Show regions"), "R");
    m_marks->setCheckable(true);
    m_marks->setChecked(true);
    connect(m_marks, &QAction::triggered, this, [this] { m_view.setShowRegions(m_marks->isChecked()); });
    addActions({whole, pixels, m_marks});
    addSeparator();
}

void BenchTools::addModes() {
    auto* modes = new QActionGroup(this);
    for (const auto& [mode, icon, name, key] : {std::tuple{FrameView::Mode::One, "one", tr("One picture, flipped by 1 to 9"), "F"},
                                                {FrameView::Mode::Curtain, "curtain", tr("A curtain between two pictures"), "C"},
                                                {FrameView::Mode::Tiles, "tiles", tr("All pictures side by side"), "V"}}) {
        QAction* action = add(icon, name, key);
        action->setCheckable(true);
        modes->addAction(action);
        m_modes[static_cast<int>(mode)] = action;
        connect(action, &QAction::triggered, this, [this, m = mode] { m_view.setMode(m_view.mode() == m ? FrameView::Mode::One : m); });
        addAction(action);
    }
    m_ratio = add("ratio", tr("Ratio to the baseline"), "X");
    m_ratio->setCheckable(true);
    connect(m_ratio, &QAction::triggered, this, [this](bool on) { m_view.setRatio(on); });
    addAction(m_ratio);
}

/// Flipping by itself, at a pace.
void BenchTools::addTurning() {
    m_turns = add("turns", tr("Flip by itself"), "A");
    m_turns->setCheckable(true);
    auto* paces = new QMenu;
    auto* paceGroup = new QActionGroup(paces);
    for (const double seconds : {0.5, 1.0, 2.0, 4.0}) {
        QAction* pace = paces->addAction(tr("every %1 s").arg(seconds));
        pace->setCheckable(true);
        pace->setChecked(seconds == 1);
        paceGroup->addAction(pace);
        connect(pace, &QAction::triggered, this, [this, seconds] {
            setPace(seconds);
            m_turns->setChecked(true);
        });
    }
    auto* turning = new QToolButton;
    paces->setParent(turning, paces->windowFlags());
    turning->setMenu(paces);
    turning->setPopupMode(QToolButton::MenuButtonPopup);
    turning->setDefaultAction(m_turns);
    turning->setFocusPolicy(Qt::TabFocus);
    addWidget(turning);
    m_timer.setInterval(1000);
    connect(&m_timer, &QTimer::timeout, this, [this] { m_view.flip(1); });
    connect(m_turns, &QAction::toggled, this, [this](bool on) { on ? m_timer.start() : m_timer.stop(); });
    addSeparator();
}

/// What is seen, and how light becomes grey.
void BenchTools::addLooks() {
    auto* looks = new QMenu;
    auto* lookGroup = new QActionGroup(looks);
    for (const LookAt look : {LookAt::Colours, LookAt::Red, LookAt::Green, LookAt::Blue, LookAt::RedLine, LookAt::Oxygen}) {
        QAction* action = looks->addAction(lookName(look));
        action->setCheckable(true);
        lookGroup->addAction(action);
        m_looks[static_cast<int>(look)] = action;
        connect(action, &QAction::triggered, this, [this, look] { setLook(look); });
    }
    m_lookButton = choice(looks, tr("What of each frame is seen: colours, a channel, or a line of three-channel frames (L: the next)"), tr("Seen"));
    auto* stretches = new QMenu;
    auto* stretchGroup = new QActionGroup(stretches);
    for (const auto& [mode, name] : {std::pair{StretchMode::Shared, tr("One stretch for all: what is darker, is darker")},
                                     {StretchMode::OwnSky, tr("Each to its own sky: brightness cannot be compared")},
                                     {StretchMode::Linear, tr("One for all, linear: greys in proportion to the light")}}) {
        QAction* action = stretches->addAction(name);
        action->setCheckable(true);
        stretchGroup->addAction(action);
        m_stretches[static_cast<int>(mode)] = action;
        connect(action, &QAction::triggered, this, [this, m = mode] { setStretchMode(m); });
    }
    m_stretchButton = choice(stretches, tr("How light becomes grey (T: the next)"), tr("Stretch"));
    m_levels = add("levels", tr("Histogram, black, middle and white"), "G");
    m_levels->setCheckable(true);
    addAction(m_levels);
    m_blind = add("blind", tr("Blind look: names hidden, ranked by eye"), "Shift+B");
    addAction(m_blind);
}

/// Keys without a button.
void BenchTools::addKeys() {
    // Keys without a button.
    const auto key = [this](const QString& name, const QString& keys, auto slot) {
        QAction* action = add("", name, keys);
        action->setData({});
        action->setIcon({});
        connect(action, &QAction::triggered, this, slot);
    };
    key(tr("What is seen: the next"), "L", [this] { setLook(static_cast<LookAt>((static_cast<int>(m_look) + 1) % 6)); });
    key(tr("Stretch: the next"), "T", [this] { setStretchMode(static_cast<StretchMode>((static_cast<int>(m_stretch) + 1) % 3)); });
    for (int n = 1; n <= 9; ++n)
        key(tr("Flip to run %1").arg(n), QString::number(n), [this, n] {
            const auto& lanes = m_view.lanes();
            if (n <= static_cast<int>(lanes.size())) m_view.setCurrent(lanes[static_cast<std::size_t>(n - 1)].run);
        });
    key(tr("The next run"), "]", [this] { m_view.flip(1); });
    key(tr("The run before"), "[", [this] { m_view.flip(-1); });
}

void BenchTools::follow() {
    m_modes.at(static_cast<int>(m_view.mode()))->setChecked(true);
    m_ratio->setChecked(m_view.ratio());
}

void BenchTools::setStretchMode(StretchMode mode) {
    m_stretch = mode;
    m_stretches.at(static_cast<int>(mode))->setChecked(true);
    m_stretchButton->setText(stretchName(mode));
    emit stretchModeChanged();
}

void BenchTools::setLook(LookAt look) {
    m_look = look;
    m_looks.at(static_cast<int>(look))->setChecked(true);
    m_lookButton->setText(lookName(look));
    emit lookChanged();
}

void BenchTools::setPace(double seconds) {
    m_timer.setInterval(static_cast<int>(1000 * seconds));
}

void BenchTools::setBlind(bool on) {
    m_ratio->setEnabled(!on);
    if (on) m_view.setRatio(false);
}

void BenchTools::themeChanged() {
    for (QAction* a : m_all)
        if (const QString icon = a->data().toString(); !icon.isEmpty()) a->setIcon(themedIcon(icon));
}

std::vector<QAction*> BenchTools::keyActions() const {
    std::vector<QAction*> out;
    for (QAction* a : m_all)
        if (!a->shortcut().isEmpty()) out.push_back(a);
    return out;
}

} // namespace caelumen
