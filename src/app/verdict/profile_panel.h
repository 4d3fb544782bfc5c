#pragma once

#include "app/widgets/column_scroll.h"
#include "core/verdict/profile.h"

class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QSlider;
class QSpinBox;
class QToolButton;
class QVBoxLayout;

namespace caelumen {

/// For whom a filter is judged: skies and their moon, targets, weights with what one step of each is, what is owned, hours, money, telescope.
class ProfilePanel : public ColumnScroll {
    Q_OBJECT

public:
    explicit ProfilePanel(QWidget* parent = nullptr);

    void setFilters(const std::vector<std::pair<QString, QString>>& filters); ///< id and name, for what is owned
    void show(const Profile& profile);                                        ///< tells nobody
    Profile profile() const;
    QComboBox& startBox() { return *m_start; }
    QComboBox& scopeBox() { return *m_scope; }
    QComboBox& ownedBox() { return *m_owned; }
    QSlider& weight(Merit merit) { return *m_weights[static_cast<std::size_t>(merit)].slider; }

signals:
    void edited(const QString& what); ///< which part, for undo
    void started(int profile);        ///< a ready one was chosen
    void scopeChosen();
    void openAsked();
    void saveAsked();

private:
    struct SkyRow {
        QWidget* row;
        QDoubleSpinBox* reading; ///< instead of a class
        QComboBox *sky, *moon;
        QSpinBox* share;
    };
    struct WeightRow {
        QSlider* slider;
        QLabel* value;
    };
    void buildSkies(QFormLayout* form);
    void buildWeights(QFormLayout* form);
    void buildMoney(QFormLayout* form);
    void addSky(const ProfileSky& sky);
    void clearSkies();
    void say(const QString& what);
    void showValues();

    QComboBox *m_start, *m_scope, *m_halo, *m_owned, *m_camera;
    QToolButton* m_file;
    QVBoxLayout* m_skyRows;
    std::vector<SkyRow> m_skies;
    std::map<TargetKind, QSpinBox*> m_kinds;
    std::array<WeightRow, kMerits.size()> m_weights{};
    QSpinBox* m_hours;
    QDoubleSpinBox *m_budget, *m_ratio;
    QLineEdit *m_currency, *m_rates;
    Profile m_shown;
    bool m_quiet = false;
};

} // namespace caelumen
