#pragma once

#include "app/palette/palette_model.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QLabel;
class QSlider;
class QSplitter;
class QTextBrowser;

namespace caelumen {

class PaletteView;
class Prompts;

/// The Palette: what will the picture be like? One recipe for all filters on the left, their pictures side by side, and what was done to them.
class PaletteRoom : public QWidget {
    Q_OBJECT

public:
    PaletteRoom(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    PaletteModel& model() { return m_model; }
    PaletteView& view() { return *m_view; }
    QComboBox& startBox() { return *m_start; }
    QComboBox& starsBox() { return *m_stars; }
    QSlider& depthSlider() { return *m_depth; }
    void askExport(const QString& ending); ///< of the picture alone, else of the first filter: png, tif or json (the recipe)
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);

private:
    QWidget* buildLeft();
    void takeWish();
    void fill();
    void fillTiles();
    void writePage();
    int chosen() const;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    PaletteModel m_model;
    QComboBox *m_start, *m_stars, *m_scale;
    QCheckBox *m_sky, *m_galaxy, *m_detail;
    QSlider *m_amount, *m_share, *m_light, *m_depth;
    std::array<std::array<QSlider*, 3>, 3> m_matrix{}; ///< by channel: H, O, S
    QWidget* m_matrixBox = nullptr;
    PaletteView* m_view;
    QTextBrowser* m_page;
    QSplitter* m_across;
};

} // namespace caelumen
