#pragma once

#include "core/model/trial.h"
#include "core/optics/light_cone.h"

#include <QTimer>
#include <QWidget>

#include <map>

class QLabel;
class QLineEdit;
class QTableWidget;

namespace caelumen {

class Session;

/// Worth of currencies in one's own, as typed: "USD 0.92; GBP 1.17". An unreadable part is an Error that names it.
Result<std::map<std::string, double>> ratesFromText(const QString& text);

/// What one filter of a set costs with its shipping, in one's own currency; nothing where price or rate is missing.
std::optional<double> priceOfEach(const Filter& filter, const std::string& currency, const std::map<std::string, double>& rates);

/// All filters of the trial side by side: bands and lines in the cone at hand, leaks, price for each in one currency, glass, mount, certificate; and what
/// swapping them does to the focus.
class FilterTable : public QWidget {
    Q_OBJECT

public:
    explicit FilterTable(Session& session, QWidget* parent = nullptr);

    void show(const LightCone& cone, std::optional<double> pixel_um); ///< worked out when it is looked at
    QString text() const;                                             ///< as it stands, tab-separated
    QTableWidget& table() { return *m_table; }
    QString focusText() const;

signals:
    void chosen(const QString& filter);

private:
    void showEvent(QShowEvent* event) override;
    bool eventFilter(QObject* of, QEvent* event) override;
    using Rates = Result<std::map<std::string, double>>;
    void fill();
    void fillRow(int row, const Filter& filter, const std::string& currency, const Rates& rates);
    void keepRates();

    Session& m_session;
    LightCone m_cone;
    std::optional<double> m_pixel_um;
    QLineEdit *m_currency, *m_rates;
    QTableWidget* m_table;
    QLabel* m_focus;
    QTimer m_later; ///< while the cone's slider is dragged
    bool m_stale = true;
};

} // namespace caelumen
