#include "app/bench/bench.h"
#include "app/bench/blind_panel.h"
#include "app/bench/score_board.h"
#include "app/widgets/theme.h"
#include "core/base/json.h"
#include "core/compare/blind_look.h"
#include "report/local_number.h"

#include <QDateTime>
#include <QRandomGenerator>
#include <QSplitter>
#include <QStackedWidget>

/// People see what they expect: pictures without names, ranked by eye, then held against the figures.
namespace caelumen {

void Bench::beginBlindLook(std::optional<std::uint64_t> seed) {
    if (m_session.trial().runs.size() < 2) return emit told(tr("A blind look needs two runs."));
    std::vector<std::string> runs;
    for (const Run& run : m_session.trial().runs) runs.push_back(run.id);
    m_blind = true;
    hideMarks();
    m_view->setBaselineHeld(false);
    m_tools->setBlind(true);
    m_right->hide();
    m_board->hide();
    m_left->setCurrentWidget(m_blindPanel);
    m_blindPanel->begin(shuffledRuns(runs, seed ? *seed : QRandomGenerator::global()->generate64()));
    picturesChanged();
    flipTo(QString::fromStdString(m_blindPanel->shown().front()));
    m_view->setFocus();
}

void Bench::endBlindLook() {
    m_blind = false;
    m_tools->setBlind(false);
    m_right->show();
    m_board->setVisible(true);
    m_left->setCurrentIndex(0);
    picturesChanged();
    resultsChanged();
}

void Bench::revealBlindLook() {
    BlindLook look = m_blindPanel->look();
    look.region = regionOfScore(m_blindPanel->score()).toStdString();
    look.date = QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString();
    const Trial& trial = m_session.trial();
    const TrialResults* r = m_session.results();
    const Agreement agreement = r ? agreementOf(look, *r) : Agreement{};
    std::vector<std::pair<QString, FilterStyle>> names;
    for (const std::string& run : look.ranking)
        for (std::size_t i = 0; i < trial.runs.size(); ++i)
            if (trial.runs[i].id == run) {
                const Filter* f = trial.filter(trial.runs[i].filter);
                names.emplace_back(QString::fromStdString(run + "  " + (f ? f->name : trial.runs[i].filter)),
                                   runStyle(trial, run, trial.runs[i].baseline, theme().isRed()));
            }
    QString verdict = !r                     ? tr("Nothing is measured yet to hold this against.")
                      : agreement.pairs == 0 ? tr("The figures tell no two of these apart, so that there is nothing to agree with.")
                                             : tr("Eye and figures agree in %1 of %2 pairs that the figures tell apart. Somebody who sees nothing would "
                                                  "agree as often with a probability of %3 %.")
                                                   .arg(agreement.agreed)
                                                   .arg(agreement.pairs)
                                                   .arg(localNumber(100 * agreement.chance, 'g', 2));
    if (agreement.open > 0 && agreement.pairs > 0) verdict += " " + tr("%n pair(s) are not told apart.", nullptr, agreement.open);
    m_blindPanel->reveal(names, agreement, verdict);
    picturesChanged();

    Json kept = Json::array();
    if (const auto before = parseJson(m_session.kept("blind-looks").toStdString(), "the campaign"); before && before->is_array()) kept = *before;
    Json one = blindLookToJson(look);
    one["trial"] = trial.title;
    one["agreed"] = agreement.agreed, one["pairs"] = agreement.pairs;
    kept.push_back(one);
    if (m_session.canEdit()) m_session.keep("blind-looks", QString::fromStdString(jsonText(kept)));
}

} // namespace caelumen
