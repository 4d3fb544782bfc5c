#include "report/text_page.h"

#include <algorithm>

namespace caelumen {

/// The tone as a colour where there is ink, else as a class; `style` counts with ink alone.
QString TextPage::attributes(Tone tone, const QString& style) const {
    if (m_ink.plain.isEmpty()) {
        const char* name = tone == Tone::Dim ? "small" : tone == Tone::Warn ? "weakens" : tone == Tone::Bad ? "voids" : nullptr;
        return name ? QString(" class='%1'").arg(name) : QString();
    }
    const QString& colour = tone == Tone::Dim ? m_ink.dim : tone == Tone::Warn ? m_ink.warn : tone == Tone::Bad ? m_ink.bad : m_ink.plain;
    return QString(" style='color:%1;%2'").arg(colour, style);
}

void TextPage::title(const QString& text) {
    m_html += QString("<h3%1>%2</h3>").arg(attributes(Tone::Plain, " margin-top:0; margin-bottom:2px;"), safe(text));
}

void TextPage::heading(const QString& text) {
    m_html += QString("<p%1><b>%2</b></p>").arg(attributes(Tone::Plain, " margin-top:12px; margin-bottom:3px;"), safe(text));
}

void TextPage::lines(const std::vector<std::string>& texts, Tone tone) {
    for (const std::string& text : texts) line(QString::fromStdString(text), tone);
}

void TextPage::section(const QString& title, const std::vector<std::string>& texts, Tone tone) {
    if (texts.empty()) return;
    heading(title);
    lines(texts, tone);
}

void TextPage::paragraph(const QString& markup, Tone tone) {
    QString text = markup;
    text.replace(" %", "\u00A0%"); // a number keeps its unit on its line
    m_html += QString("<p%1>%2</p>").arg(attributes(tone, " margin-top:3px; margin-bottom:3px;"), text);
}

void TextPage::table(const QList<Column>& columns, const QList<QStringList>& rows) {
    const bool inked = !m_ink.plain.isEmpty();
    const auto cell = [&](const QString& markup, bool number, Tone tone, const char* tag) {
        const QString place = inked ? QString(" align='%1'").arg(number ? "right" : "left") : number ? QString(" class='n'") : QString();
        return QString("<%1%2%3>%4</%1>").arg(tag, place, inked ? attributes(tone, {}) : QString(), markup);
    };
    m_html += inked ? QString("<table width='100%' cellspacing='0' cellpadding='3'><tr>") : QString("<table><tr>");
    for (const Column& c : columns) m_html += cell(safe(c.head), c.number, Tone::Dim, inked ? "td" : "th");
    for (const QStringList& row : rows) {
        m_html += "</tr><tr>";
        for (qsizetype i = 0; i < row.size(); ++i) {
            const Column& c = columns[std::min<qsizetype>(i, columns.size() - 1)];
            m_html += cell(c.markup ? row[i] : safe(row[i]), c.number, Tone::Plain, "td");
        }
    }
    m_html += "</tr></table>";
}

void TextPage::table(const QList<QStringList>& rows) {
    if (rows.size() < 2) return;
    QList<Column> columns;
    for (const QString& head : rows.front()) columns.push_back({head, !columns.isEmpty()});
    table(columns, rows.mid(1));
}

void TextPage::facts(const QList<std::pair<QString, QString>>& pairs) {
    if (pairs.isEmpty()) return;
    m_html += "<table cellspacing='2'>";
    for (const auto& [name, value] : pairs)
        m_html +=
            QString("<tr><td%1>%2</td><td%3>%4</td></tr>").arg(attributes(Tone::Dim, " padding-right:10px;"), safe(name), attributes(Tone::Plain, {}), value);
    m_html += "</table>";
}

QString TextPage::link(const QString& href, const QString& text) const {
    return QString("<a href=\"%1\"%2>%3</a>").arg(safe(href), m_ink.link.isEmpty() ? QString() : QString(" style='color:%1;'").arg(m_ink.link), safe(text));
}

QString TextPage::toned(const QString& markup, Tone tone) const {
    return QString("<span%1>%2</span>").arg(attributes(tone, {}), markup);
}

} // namespace caelumen
