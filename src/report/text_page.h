#pragma once

#include <QList>
#include <QString>
#include <QStringList>

#include <string>
#include <utility>
#include <vector>

namespace caelumen {

/// A page of sentences and tables, laid out by one hand for screens, for paper and for reports. Text is made safe here; what is called markup goes through as
/// it is.
class TextPage {
public:
    enum class Tone { Plain, Dim, Warn, Bad };
    /// Colours by name, for rich text, which knows no style sheet of ours; none of them in a report, whose style sheet knows the tones as classes.
    struct Ink {
        QString plain, dim, warn, bad, link;
    };
    struct Column {
        QString head;
        bool number = false; ///< to the right, digits under each other
        bool markup = false;
    };

    TextPage() = default;
    explicit TextPage(Ink ink)
        : m_ink(std::move(ink)) {}

    void title(const QString& text);
    void heading(const QString& text);
    void line(const QString& text, Tone tone = Tone::Plain) { paragraph(safe(text), tone); }
    void lines(const std::vector<std::string>& texts, Tone tone = Tone::Plain);
    /// A heading and what stands under it; nothing where there is nothing.
    void section(const QString& title, const std::vector<std::string>& texts, Tone tone = Tone::Plain);
    void paragraph(const QString& markup, Tone tone = Tone::Plain);
    void table(const QList<Column>& columns, const QList<QStringList>& rows);
    /// The first row is the head, the first column names, all others are numbers.
    void table(const QList<QStringList>& rows);
    /// Names and values, which are markup.
    void facts(const QList<std::pair<QString, QString>>& pairs);
    void add(const QString& markup) { m_html += markup; }

    QString link(const QString& href, const QString& text) const;
    QString toned(const QString& markup, Tone tone) const;
    const QString& html() const { return m_html; }

    static QString safe(const QString& text) { return text.toHtmlEscaped(); }
    static QString safe(const std::string& text) { return safe(QString::fromStdString(text)); }

private:
    QString attributes(Tone tone, const QString& style) const;

    Ink m_ink;
    QString m_html;
};

} // namespace caelumen
