#pragma once

#include "app/palette/palette_model.h"
#include "app/widgets/column_scroll.h"

class QCheckBox;
class QComboBox;
class QFormLayout;
class QLabel;
class QSlider;
class QToolButton;

namespace caelumen {

/// What is wanted of all pictures alike: recipe, stars, detail, time, look, eyes.
class PalettePanel : public ColumnScroll {
    Q_OBJECT

public:
    explicit PalettePanel(QWidget* parent = nullptr);

    void setRuns(const Trial& trial); ///< that light, stars and detail may come from
    void setRecipes(const std::vector<Recipe>& own);
    void show(const PaletteWish& wish); ///< tells nobody
    PaletteWish wish() const;
    /// A recipe of the list as a wish; the runs that are named stay.
    PaletteWish wishAt(int index) const;
    void show(double light, double depth);
    double light() const;
    double depth() const;
    PaletteTime time() const;
    double hours() const;
    ColourVision eyes() const;
    QString recipeName() const; ///< of the chosen one
    bool recipeIsOwn() const;   ///< kept by name

    QComboBox& startBox() { return *m_start; }
    QComboBox& starsBox() { return *m_stars; }
    QComboBox& timeBox() { return *m_time; }
    QComboBox& eyesBox() { return *m_eyes; }
    QSlider& depthSlider() { return *m_depth; }
    QSlider& hoursSlider() { return *m_hours; }

signals:
    void wished();
    void recipeChosen(int index);
    void looked();
    void timed();
    void eyesChosen();
    void keepAsked();
    void forgetAsked();
    void shareAsked();
    void takeAsked();

private:
    QWidget* buildMatrix();
    void buildLight(QFormLayout* form);
    void buildStars(QFormLayout* form);
    void buildLook(QFormLayout* form);
    void enable();
    void say();

    QComboBox *m_start, *m_oxygen, *m_scale, *m_stars, *m_starsFrom, *m_detail, *m_time, *m_eyes;
    QCheckBox *m_sky, *m_galaxy;
    QSlider *m_amount, *m_share, *m_light, *m_depth, *m_hours;
    QLabel* m_hoursText;
    QToolButton* m_recipes;
    QAction* m_forget = nullptr;
    std::array<std::array<QSlider*, 3>, 3> m_matrix{}; ///< by channel: H, O, S
    QWidget* m_matrixBox = nullptr;
    std::vector<Recipe> m_own;
    PaletteWish m_beside; ///< what of a wish has no control: a kept recipe's other lights
};

} // namespace caelumen
