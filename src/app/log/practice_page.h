#pragma once

#include "app/job_service.h"
#include "core/practice/exercise.h"

#include <QImage>
#include <QWidget>

class QComboBox;
class QCustomPlot;
class QLabel;
class QPushButton;
class QSlider;
class QStackedWidget;
class QTableWidget;

namespace caelumen {

class LogModel;
class Session;

/// Pictures of an exercise, side by side; on the halo's a circle that a hand can draw out.
class ExerciseView : public QWidget {
    Q_OBJECT

public:
    explicit ExerciseView(QWidget* parent = nullptr);
    void show(const EyeExercise* exercise, const QStringList& names);
    void setRadius(double radius); ///< pixels; 0: none
    double radius() const { return m_radius; }
    void reveal(bool on);           ///< the true circle beside it
    QPointF placeOf(Point p) const; ///< of the first picture
    QSize sizeHint() const override { return {940, 430}; }

signals:
    void radiusChosen(double radius);
    void pictureChosen(int picture);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    QRectF frameOf(int picture) const;
    void pull(const QPointF& at);
    std::vector<QImage> m_images;
    QStringList m_names;
    ExerciseKind m_kind = ExerciseKind::Nebula;
    Point m_star;
    double m_truth = 0, m_radius = 0;
    bool m_revealed = false;
};

/// Practice for the eye: made-up pictures, an answer, then the truth; how well somebody does over time, and towards which side they lean. Blind looks of the
/// Bench are collected here.
class PracticePage : public QWidget {
    Q_OBJECT

public:
    PracticePage(LogModel& log, Session& session, QWidget* parent = nullptr);
    void fill(); ///< what was answered so far
    void begin(ExerciseKind kind, std::optional<unsigned long long> seed = {});
    void answer(double value);
    const EyeExercise* exercise() const { return m_exercise.get(); }
    bool answered() const { return m_answered; }
    ExerciseView& view() { return *m_view; }
    QLabel& words() { return *m_words; }
    QLabel& summary() { return *m_summary; }
    QTableWidget& looks() { return *m_looks; }
    QComboBox& kinds() { return *m_kind; }
    QSlider& size() { return *m_size; }
    JobService& jobs() { return m_jobs; }
    void themeChanged();

private:
    ExerciseKind kind() const;
    void fillControls();
    void fillLooks();
    LogModel& m_log;
    Session& m_session;
    JobService m_jobs;
    std::shared_ptr<const EyeExercise> m_exercise;
    bool m_answered = false;
    QComboBox* m_kind;
    QSlider *m_ease, *m_size;
    ExerciseView* m_view;
    QLabel *m_question, *m_words, *m_summary;
    QPushButton *m_first, *m_second, *m_done, *m_next;
    QCustomPlot* m_plot;
    QTableWidget* m_looks;
};

} // namespace caelumen
