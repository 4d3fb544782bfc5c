#pragma once

#include "app/night/night_model.h"

#include <QTimer>
#include <QWidget>

class QComboBox;
class QDateEdit;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QListWidgetItem;
class QPushButton;
class QSpinBox;
class QSplitter;
class QTabWidget;
class QTextBrowser;

namespace caelumen {

class CalendarView;
class FieldView;
class NightChart;
class Prompts;

/// The Night: what to shoot, when, and in which order. Date, target and filters on the left; the night as one picture in the middle; on the right what it can
/// prove, and the checklist.
class Night : public QWidget {
    Q_OBJECT

public:
    Night(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    NightModel& model() { return m_model; }
    NightChart& chart() { return *m_chart; }
    QTabWidget& tabs() { return *m_tabs; }
    QListWidget& targetList() { return *m_targets; }
    QListWidget& filterList() { return *m_filters; }
    QListWidget& checks() { return *m_checks; }
    QLineEdit& search() { return *m_search; }
    QTextBrowser& page() { return *m_page; }
    CalendarView& month() { return *m_month; }
    CalendarView& year() { return *m_year; }
    bool busy() const { return m_jobs.busy(); }
    void setCamera(const Camera& camera) { m_model.setCamera(camera); }
    void newNight();                       ///< a trial to plan, with this one's place, telescope and filters
    void askExport(const QString& ending); ///< pdf, ics, csv or json
    void askTargets();
    void takeTargets(const QString& path);
    void askSettings();
    QString tableText() const;
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void problem(const QString& sentence);

private:
    QWidget* buildLeft();
    QWidget* buildControls();
    void fill();
    void fillFilters();
    void fillTargets();
    void fillChecks();
    void fillCalendars();
    void tellCells(); ///< which skies and moons the campaign has and lacks
    void writePage();
    void editPlan(const QString& what, const std::function<void(Plan&)>& change);
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    NightModel m_model;
    JobService m_jobs;
    QDateEdit* m_date;
    QLabel* m_place;
    QLineEdit* m_search;
    QListWidget *m_targets, *m_filters, *m_checks;
    QSpinBox *m_subs, *m_rounds;
    QDoubleSpinBox *m_exposure, *m_lowest;
    QComboBox *m_order, *m_flip, *m_dusk, *m_star, *m_lengths;
    NightChart* m_chart;
    CalendarView *m_month, *m_year;
    FieldView* m_field;
    QTabWidget* m_tabs;
    QTextBrowser* m_page;
    QSplitter* m_across;
    QTimer m_pageLater;
    QString m_monthOf, m_yearOf;
    bool m_filling = false, m_stale = true;
};

} // namespace caelumen
