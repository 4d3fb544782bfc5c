#pragma once

#include "app/widgets/form_fields.h"
#include "core/model/trial.h"

#include <QDialog>

#include <array>

class QPlainTextEdit;

namespace caelumen {

class Prompts;

/// A place under the sky: how dark it is, what stands before the horizon, which towns glow, and which lamps they burn.
class SiteDialog : public QDialog {
    Q_OBJECT

public:
    SiteDialog(const Site& site, Prompts& prompts, QWidget* parent = nullptr);
    Site site() const { return m_site; } ///< with the changes, once accepted
    void accept() override;
    void importHorizon();
    void setHorizonPoint(HorizonPoint point); ///< in place of what stood near its azimuth
    QWidget* horizonDrawing() const;

private:
    class HorizonDrawing;
    void complain(const QString& text, QWidget* where);
    void redraw();

    Site m_site;
    Prompts& m_prompts;
    QLineEdit* m_name;
    OptionalNumber m_latitude, m_longitude, m_elevation, m_bortle, m_sqm;
    std::array<OptionalNumber, 5> m_lamps;
    QPlainTextEdit *m_horizon, *m_domes;
    HorizonDrawing* m_drawing;
    QLabel* m_problem;
};

/// Light domes as a person writes them, one a line: azimuth, strength, half width ("310, 1.4, 25"); the last two may be left out.
Result<std::vector<LightDome>> domesFromText(const QString& text);

} // namespace caelumen
