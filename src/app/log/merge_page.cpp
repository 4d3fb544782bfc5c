#include "app/log/merge_page.h"

#include "app/session.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/paths.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/tables.h"
#include "core/compare/scores.h"
#include "core/merge/share_file.h"
#include "core/model/quantity.h"
#include "report/local_number.h"
#include "report/number_text.h"
#include "report/report_frames.h"

#include <QBuffer>
#include <QCheckBox>
#include <QClipboard>
#include <QDialog>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QFormLayout>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTableWidget>
#include <QUrl>
#include <QVBoxLayout>
#include <fmt/format.h>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

QString label(const MergedFigure& f) {
    const Quantity* q = quantity(f.quantity);
    return (q ? coreWord(q->label) : QString::fromStdString(f.quantity)) + (f.channel.empty() ? QString() : " " + QString::fromStdString(f.channel)) +
           (f.regionKind.find('#') != std::string::npos ? QObject::tr(", ring %1").arg(QString::fromStdString(f.regionKind.substr(f.regionKind.find('#') + 1)))
                                                        : QString());
}

QString unitOf(const MergedFigure& f) {
    const Quantity* q = quantity(f.quantity);
    return !q || q->unit == "1" ? QString()
                                : QString::fromUtf8(q->unit.data(), static_cast<qsizetype>(q->unit.size())).replace("e-", QString::fromUtf8("e\u207B"));
}

/// Of a share it tells how far it stands apart.
const MergeShare* farthest(const MergedFigure& f) {
    const MergeShare* out = nullptr;
    for (const MergeShare& s : f.each)
        if (standsOut(f, s) && (!out || std::abs(s.apart) > std::abs(out->apart))) out = &s;
    return out;
}

bool speaks(const std::string& quantity) {
    const auto all = scores();
    return std::any_of(all.begin(), all.end(), [&](const Score& s) { return s.headline == quantity; });
}

} // namespace

MergePage::MergePage(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_list(new QListWidget)
    , m_addTrial(new QPushButton(tr("Add the trial in hand")))
    , m_remove(new QPushButton(tr("Remove")))
    , m_save(new QPushButton(tr("Save as \u2026")))
    , m_share(new QPushButton(tr("Share the trial in hand \u2026")))
    , m_all(new QCheckBox(tr("all quantities")))
    , m_table(new QTableWidget)
    , m_plot(new QCustomPlot)
    , m_words(new QLabel) {
    setAcceptDrops(true);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    auto* across = new QSplitter;
    auto* left = new QWidget;
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(0, 0, 6, 0);
    column->addWidget(headingLabel(tr("Testers and nights")));
    m_list->setAccessibleName(tr("Testers and nights"));
    m_list->setIconSize({72, 48});
    m_list->installEventFilter(this);
    column->addWidget(m_list, 1);
    auto* addFiles = new QPushButton(tr("Add results \u2026"));
    addFiles->setToolTip(tr("Results files (caelumen-cli measure, File > Export) or files that others shared; they can also be dropped here"));
    for (QPushButton* b : {addFiles, m_addTrial, m_remove}) column->addWidget(b);
    m_share->setToolTip(tr("Writes figures, conditions and small pictures into a file for others; no names unless you want them"));
    column->addWidget(m_share);
    across->addWidget(left);
    auto* right = new QWidget;
    auto* page = new QVBoxLayout(right);
    page->setContentsMargins(6, 0, 0, 0);
    auto* row = new QHBoxLayout;
    row->addWidget(m_all);
    row->addStretch(1);
    row->addWidget(m_save);
    page->addLayout(row);
    plainTable(*m_table, tr("Merged figures"));
    m_table->horizontalHeader()->setStretchLastSection(true);
    m_table->installEventFilter(this);
    page->addWidget(m_table, 3);
    m_words->setWordWrap(true);
    m_words->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_words->setTextFormat(Qt::RichText);
    m_plot->setMinimumHeight(140);
    page->addWidget(m_plot, 2);
    page->addWidget(m_words);
    across->addWidget(right);
    across->setStretchFactor(1, 1);
    across->setSizes({250, 700});
    across->setChildrenCollapsible(false);
    layout->addWidget(across);
    connect(addFiles, &QPushButton::clicked, this, [this] {
        const QStringList files = m_prompts.openFiles(this, tr("Results of several testers"), tr("Results (*.json);;All files (*)"));
        if (!files.isEmpty()) add(files);
    });
    connect(m_addTrial, &QPushButton::clicked, this, &MergePage::addTrial);
    connect(m_remove, &QPushButton::clicked, this, &MergePage::removeChosen);
    connect(m_save, &QPushButton::clicked, this, &MergePage::save);
    connect(m_share, &QPushButton::clicked, this, &MergePage::share);
    connect(m_all, &QCheckBox::toggled, this, &MergePage::fill);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &MergePage::fillFigure);
    connect(m_list, &QListWidget::itemSelectionChanged, this, [this] { m_remove->setEnabled(m_list->currentRow() >= 0); });
    connect(&m_jobs, &JobService::failed, this, &MergePage::problem);
    const auto offer = [this] {
        const bool measured = m_session.results() && m_session.resultsAreCurrent();
        m_addTrial->setEnabled(measured), m_share->setEnabled(measured);
    };
    connect(&m_session, &Session::resultsChanged, this, offer);
    connect(&m_session, &Session::trialChanged, this, offer);
    offer();
    m_remove->setEnabled(false);
    fill();
}

Result<MergePage::Tester> MergePage::read(const std::string& bytes, const std::string& name) {
    const auto json = parseJson(bytes, name);
    auto results = json ? testerResultsFromJson(*json, name) : Result<TesterResults>(json.error());
    if (!results) return results.error();
    Tester out{std::move(*results), bytes, {}};
    for (const auto& [run, png] : sharedThumbnails(*json))
        if (QImage p; p.loadFromData(reinterpret_cast<const uchar*>(png.data()), static_cast<int>(png.size()), "PNG")) out.thumbnails[run] = p;
    return out;
}

void MergePage::add(const QStringList& files) {
    m_jobs.run(QString("read-%1").arg(++m_reads), tr("Reading results"), [this, files](const Job& job) -> JobService::Finish {
        QStringList wrong;
        std::vector<Tester> found;
        for (const QString& f : files) {
            if (job.cancelled()) return {};
            const auto bytes = readText(toPath(f));
            auto tester = bytes ? read(*bytes, QFileInfo(f).fileName().toStdString()) : Result<Tester>(bytes.error());
            if (!tester)
                wrong << QString::fromStdString(tester.error().message);
            else
                found.push_back(std::move(*tester));
        }
        return [this, wrong, testers = std::move(found)] {
            for (const Tester& t : testers) take(t);
            fill();
            if (!wrong.isEmpty()) emit problem(wrong.join(" "));
        };
    });
}

void MergePage::take(Tester tester) {
    for (const Tester& t : m_testers) {
        if (t.content == tester.content) return emit problem(tr("%1 is there already: it counts once.").arg(QString::fromStdString(tester.results.source)));
        if (areTheSame(t.results, tester.results))
            emit problem(tr("%1 and %2 hold the same figures: is it one night, shared twice? Remove one of them if so.")
                             .arg(QString::fromStdString(t.results.source), QString::fromStdString(tester.results.source)));
    }
    // Two files of one name are told apart.
    const std::string name = tester.results.source;
    for (int i = 2; std::any_of(m_testers.begin(), m_testers.end(), [&](const Tester& t) { return t.results.source == tester.results.source; }); ++i)
        tester.results.source = name + " (" + std::to_string(i) + ")";
    m_testers.push_back(std::move(tester));
}

void MergePage::addTrial() {
    if (!m_session.results() || !m_session.resultsAreCurrent()) return;
    const Json json = shareFile(m_session.trial(), *m_session.results(), {});
    const std::string name = m_session.trial().title.empty() ? tr("this trial").toStdString() : m_session.trial().title;
    auto tester = read(jsonText(json), name);
    if (!tester) return emit problem(QString::fromStdString(tester.error().message));
    take(std::move(*tester));
    fill();
}

void MergePage::removeChosen() {
    const int row = m_list->currentRow();
    if (row < 0 || row >= static_cast<int>(m_testers.size())) return;
    m_testers.erase(m_testers.begin() + row);
    fill();
}

std::vector<TesterResults> MergePage::results() const {
    std::vector<TesterResults> out;
    for (const Tester& t : m_testers) out.push_back(t.results);
    return out;
}

QString MergePage::filterName(const std::string& id) const {
    for (const Tester& t : m_testers)
        if (const auto it = t.results.names.find(id); it != t.results.names.end() && !it->second.empty()) return QString::fromStdString(it->second);
    const Filter* f = m_session.trial().filter(id);
    return QString::fromStdString(f && !f->name.empty() ? f->name : id);
}

void MergePage::fill() {
    const MergedFigure* before = chosen();
    const std::string key = before ? before->filter + "|" + before->quantity + "|" + before->channel + "|" + before->regionKind : std::string();
    m_list->clear();
    for (const Tester& t : m_testers) {
        std::set<std::string> filters;
        for (const TesterFigure& f : t.results.figures) filters.insert(f.filter);
        QStringList names;
        for (const std::string& f : filters) names << filterName(f);
        auto* item = new QListWidgetItem(QString::fromStdString(t.results.source), m_list);
        item->setToolTip(tr("Filters: %1").arg(names.join(", ")));
        if (!t.thumbnails.empty()) item->setIcon(QIcon(QPixmap::fromImage(inThemeLight(t.thumbnails.rbegin()->second.convertToFormat(QImage::Format_RGB32)))));
    }
    m_merged = mergeResults(results());
    if (!m_all->isChecked()) std::erase_if(m_merged, [](const MergedFigure& f) { return !speaks(f.quantity); });
    {
        const QSignalBlocker quiet(m_table);
        m_table->clear();
        m_table->setColumnCount(6);
        m_table->setHorizontalHeaderLabels({tr("filter"), tr("quantity"), tr("all together"), tr("testers"), tr("scatter between them"), tr("stands out")});
        m_table->setRowCount(static_cast<int>(m_merged.size()));
        int wanted = m_merged.empty() ? -1 : 0;
        for (int r = 0; r < static_cast<int>(m_merged.size()); ++r) {
            const MergedFigure& f = m_merged[static_cast<std::size_t>(r)];
            if (f.filter + "|" + f.quantity + "|" + f.channel + "|" + f.regionKind == key) wanted = r;
            const MergeShare* apart = farthest(f);
            const bool logs = isAveragedInLogarithms(f.quantity);
            const QStringList cells{filterName(f.filter),
                                    label(f),
                                    f.testers > 0 ? (withError(f.value, f.sigma) + " " + unitOf(f)).trimmed() : tr("not merged"),
                                    QString::number(f.testers),
                                    f.testers < 2         ? QString::fromUtf8("\u2013")
                                    : f.betweenSigma <= 0 ? tr("none seen")
                                    : logs                ? tr("%1 %").arg(localNumber(100 * std::expm1(f.betweenSigma), 'f', 1))
                                                          : localNumber(f.betweenSigma, 'g', 2) + " " + unitOf(f),
                                    apart ? QString::fromStdString(apart->source) : QString()};
            for (int c = 0; c < cells.size(); ++c) {
                auto* cell = new QTableWidgetItem(cells[c]);
                cell->setToolTip(f.testers == 0 ? coreWord(leftOutReason(f.each.front().leftOut)) : cells[c]);
                if (c > 1 && c < 5) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
                m_table->setItem(r, c, cell);
            }
        }
        m_table->resizeColumnsToContents();
        m_table->setColumnWidth(0, std::min(190, m_table->columnWidth(0)));
        if (wanted >= 0) m_table->selectRow(wanted);
    }
    m_save->setEnabled(!m_merged.empty());
    fillFigure();
}

const MergedFigure* MergePage::chosen() const {
    const int row = m_table->currentRow();
    return row >= 0 && row < static_cast<int>(m_merged.size()) ? &m_merged[static_cast<std::size_t>(row)] : nullptr;
}

void MergePage::fillFigure() {
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    const MergedFigure* f = chosen();
    m_plot->setVisible(f != nullptr);
    if (!f) {
        m_words->setText(
            tr("Add results of several testers or nights: each figure is averaged over them, with the scatter between them, and whoever stands out is named "
               "with what was different. A trial of your own can be added, and shared."));
        return;
    }
    drawFigure(*f);
    m_words->setText(wordsOf(*f));
}

/// One line a tester, the mean below: bars are two sigmas long on either side (95 %).
void MergePage::drawFigure(const MergedFigure& f) {
    const auto rows = static_cast<double>(f.each.size()) + 1;
    QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    double least = 1e300, most = -1e300;
    const QFontMetrics metrics(m_plot->font());
    for (std::size_t i = 0; i < f.each.size(); ++i) {
        const MergeShare& s = f.each[i];
        const double y = rows - 1 - static_cast<double>(i);
        names->addTick(y, metrics.elidedText(QString::fromStdString(s.source), Qt::ElideMiddle, std::max(170, m_plot->width() / 4)));
        const bool counts = s.leftOut == LeftOut::No;
        const QColor colour = counts ? theme().text : theme().dim;
        auto* g = m_plot->addGraph(m_plot->xAxis, m_plot->yAxis);
        g->setData({s.value}, {y});
        g->setLineStyle(QCPGraph::lsNone);
        g->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssSquare, QPen(colour), counts ? QBrush(colour) : Qt::NoBrush, 7));
        auto* bars = new QCPErrorBars(m_plot->xAxis, m_plot->yAxis);
        bars->setErrorType(QCPErrorBars::etKeyError);
        bars->setDataPlottable(g);
        bars->setData(QVector<double>{2 * s.sigma});
        bars->setPen(QPen(colour, 1.2, counts ? Qt::SolidLine : Qt::DotLine));
        least = std::min(least, s.value - 2.2 * s.sigma), most = std::max(most, s.value + 2.2 * s.sigma);
    }
    if (f.testers > 0) {
        names->addTick(0, tr("all together"));
        auto* diamond = new QCPCurve(m_plot->xAxis, m_plot->yAxis);
        diamond->setData({f.value - 2 * f.sigma, f.value, f.value + 2 * f.sigma, f.value, f.value - 2 * f.sigma}, {0, 0.3, 0, -0.3, 0});
        diamond->setPen(QPen(theme().accent, 1.4));
        QColor fill = theme().accent;
        fill.setAlpha(120);
        diamond->setBrush(fill);
        auto* line = new QCPItemStraightLine(m_plot);
        line->point1->setCoords(f.value, 0), line->point2->setCoords(f.value, 1);
        line->setPen(QPen(theme().accent, 1, Qt::DashLine));
        least = std::min(least, f.value - 2.2 * f.sigma), most = std::max(most, f.value + 2.2 * f.sigma);
    }
    const double span = std::max(most - least, 1e-12);
    m_plot->xAxis->setRange(least - 0.04 * span, most + 0.04 * span);
    m_plot->yAxis->setRange(-0.7, rows - 0.3);
    m_plot->yAxis->setTicker(names);
    m_plot->yAxis->setLabel({});
    m_plot->yAxis->grid()->setZeroLinePen(m_plot->yAxis->grid()->pen());
    m_plot->xAxis->setLabel(label(f) + (unitOf(f).isEmpty() ? QString() : ", " + unitOf(f)));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

QString MergePage::wordsOf(const MergedFigure& f) const {
    QString text = tr("<b>%1, %2</b>: ").arg(filterName(f.filter).toHtmlEscaped(), label(f));
    if (f.testers == 0) {
        text += coreWord(leftOutReason(f.each.front().leftOut)) + ".";
    } else {
        text += (withError(f.value, f.sigma) + " " + unitOf(f)).trimmed();
        text += f.testers == 1 ? tr(" of one tester.") : tr(" of %1 testers. ").arg(f.testers);
        if (f.testers > 1)
            text += differBeyondErrors(f) ? tr("They differ by more than their errors explain. ")
                    : f.betweenSigma > 0  ? tr("They differ a little more than their errors explain, as chance alone may make it; the error allows for it. ")
                                          : tr("They differ by no more than their errors explain. ");
        for (const MergeShare& s : f.each) {
            if (s.leftOut != LeftOut::No) {
                text += tr("%1 does not count: %2. ").arg(QString::fromStdString(s.source).toHtmlEscaped(), coreWord(leftOutReason(s.leftOut)));
                continue;
            }
            if (!standsOut(f, s)) continue;
            text += tr("<b>%1</b> stands %2 of its errors %3 the others.")
                        .arg(QString::fromStdString(s.source).toHtmlEscaped())
                        .arg(localNumber(std::abs(s.apart), 'f', 1))
                        .arg(s.apart > 0 ? tr("above") : tr("below"));
            const auto all = results();
            const auto which = std::find_if(all.begin(), all.end(), [&](const TesterResults& t) { return t.source == s.source; });
            const auto why = which == all.end() ? std::vector<std::string>() : whyApart(all, static_cast<std::size_t>(which - all.begin()), f.filter);
            for (const std::string& reason : why) text += " " + QString::fromStdString(reason).toHtmlEscaped();
            if (why.empty()) text += tr(" Nothing that the files say explains it.");
            text += " ";
        }
    }
    return text;
}

QString MergePage::text() const {
    return tableText(*m_table);
}

void MergePage::save() {
    QString path = m_prompts.saveFile(this, tr("Merged figures"), "merged.json", tr("JSON (*.json);;Table (*.csv)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".json";
    const auto all = mergeResults(results());
    std::string bytes;
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        bytes = csvRow({"filter", "channel", "quantity", "region_kind", "unit", "value", "sigma", "between_sigma", "q", "testers"});
        for (const MergedFigure& f : all) {
            const bool any = f.testers > 0;
            const Quantity* q = quantity(f.quantity);
            const auto n = [&](double v) { return any ? fmt::format("{:.9g}", v) : std::string(); };
            bytes += csvRow({f.filter, f.channel, f.quantity, f.regionKind, q ? std::string(q->unit) : "", n(f.value), n(f.sigma), n(f.betweenSigma), n(f.q),
                             std::to_string(f.testers)});
        }
    } else {
        bytes = jsonText(mergedToJson(all), 1) + "\n";
    }
    if (const Status done = m_session.write(path, bytes); !done) return emit problem(QString::fromStdString(done.error().message));
    emit told(tr("Written: %1").arg(path));
}

void MergePage::share() {
    if (!m_session.results() || !m_session.resultsAreCurrent()) return;
    QDialog dialog(this);
    dialog.setObjectName("shareDialog");
    dialog.setWindowTitle(tr("Share the trial in hand"));
    auto* form = new QFormLayout;
    auto* tester = new QLineEdit;
    tester->setObjectName("tester");
    tester->setPlaceholderText(tr("nobody is named"));
    auto* places = new QCheckBox(tr("names of place, telescope and trial, and exact times"));
    places->setObjectName("places");
    auto* pictures = new QCheckBox(tr("a small picture of each run"));
    pictures->setObjectName("pictures");
    pictures->setChecked(true);
    form->addRow(tr("Your name"), tester);
    form->addRow(tr("With it go"), pictures);
    form->addRow(QString(), places);
    auto* words = new QLabel(
        tr("Figures, errors, what was unfair, moon, sky and the telescope's numbers go in, with the day and the whole degree of latitude. File names "
           "and notes never do."));
    words->setWordWrap(true);
    words->setObjectName("dim");
    form->addRow(words);
    finish(&dialog, form, problemLabel());
    if (dialog.exec() != QDialog::Accepted) return;
    QString path = m_prompts.saveFile(this, tr("File to share"), "shared-results.json", tr("Results to share (*.json)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".json";
    const ShareNames names{tester->text().trimmed().toStdString(), places->isChecked()};
    const bool small = pictures->isChecked();
    if (const Status may = m_session.mayWrite(path); !may) return emit problem(QString::fromStdString(may.error().message));
    m_jobs.run("share", tr("Writing a file to share"),
               [this, path, names, small, trial = m_session.trial(), results = m_session.sharedResults(),
                folder = m_session.folder()](const Job& job) -> JobService::Finish {
                   std::map<std::string, std::string> thumbnails;
                   if (small) {
                       const ReportFrames frames = ReportFrames::load(trial, *results, folder, job);
                       for (std::size_t i = 0; i < trial.runs.size() && !job.cancelled(); ++i) {
                           if (!frames.has(i)) continue;
                           QByteArray png;
                           QBuffer buffer(&png);
                           if (buffer.open(QIODevice::WriteOnly) && frames.whole(i, 240, false).save(&buffer, "PNG"))
                               thumbnails[trial.runs[i].id] = png.toStdString();
                       }
                   }
                   if (job.cancelled()) return {};
                   const Status done = writeFile(toPath(path), jsonText(shareFile(trial, *results, names, thumbnails), 1) + "\n");
                   return [this, path, why = done ? QString() : QString::fromStdString(done.error().message)] {
                       if (why.isEmpty())
                           emit told(tr("Written: %1").arg(path));
                       else
                           emit problem(why);
                   };
               });
}

bool MergePage::eventFilter(QObject* of, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (of == m_table && key->matches(QKeySequence::Copy)) {
            QGuiApplication::clipboard()->setText(text());
            return true;
        }
        if (of == m_list && key->key() == Qt::Key_Delete) {
            removeChosen();
            return true;
        }
    }
    return QWidget::eventFilter(of, event);
}

void MergePage::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MergePage::dropEvent(QDropEvent* event) {
    QStringList files;
    for (const QUrl& url : event->mimeData()->urls()) files << url.toLocalFile();
    event->acceptProposedAction();
    add(files);
}

void MergePage::themeChanged() {
    fill();
}

} // namespace caelumen
