#pragma once

#include "app/palette/palette_model.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QLabel;
class QSlider;
class QSpinBox;
class QSplitter;
class QTextBrowser;
class QToolButton;

namespace caelumen {

class PalettePanel;
class PaletteView;
class Prompts;

/// The Palette: what will the picture be like? One recipe for all filters on the left, their pictures side by side, and what was done to them.
class PaletteRoom : public QWidget {
    Q_OBJECT

public:
    PaletteRoom(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    PaletteModel& model() { return m_model; }
    PaletteView& view() { return *m_view; }
    PalettePanel& panel() { return *m_panel; }
    QTextBrowser& page() { return *m_page; }
    QSpinBox& dpiBox() { return *m_dpi; }
    /// Of the picture alone, else of the first filter: png, tif, json (the recipe), recipes; of all: webp, sheet.
    void askExport(const QString& what);
    void copyShown(); ///< pictures as they are seen, with what was done as text
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);

private:
    QWidget* buildTools();
    void chooseRecipe(int index);
    void keepRecipe();
    void forgetRecipe();
    void shareRecipe();
    void takeRecipe();
    void fill();
    void fillTiles();
    void fillTools();
    void writePage();
    int chosen() const;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    PaletteModel m_model;
    PalettePanel* m_panel;
    PaletteView* m_view;
    QToolButton *m_curtain, *m_whole, *m_pixels, *m_print;
    QSpinBox* m_dpi;
    QLabel* m_printSize;
    QTextBrowser* m_page;
    QSplitter* m_across;
};

} // namespace caelumen
