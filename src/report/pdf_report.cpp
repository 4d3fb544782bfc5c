#include "report/pdf_report.h"

#include "core/base/phrase.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QImage>
#include <QMarginsF>
#include <QPageSize>
#include <QPainter>
#include <QPalette>
#include <QPdfWriter>
#include <QRegularExpression>
#include <QSvgRenderer>
#include <QTextDocument>
#include <QUrl>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace caelumen {
namespace {

constexpr double kDpi = 150, kDrawingScale = 2; ///< drawings as pictures, twice as fine as on a screen

QImage drawn(const QByteArray& svg) {
    QSvgRenderer renderer(svg);
    if (!renderer.isValid()) return {};
    const QSizeF size = renderer.viewBoxF().isEmpty() ? QSizeF(renderer.defaultSize()) : renderer.viewBoxF().size();
    QImage image((size * kDrawingScale).toSize(), QImage::Format_ARGB32_Premultiplied);
    if (image.isNull()) return {};
    image.fill(Qt::transparent);
    QPainter painter(&image);
    renderer.render(&painter);
    return image;
}

/// Takes drawings and embedded pictures out of a page and leaves names in their place, as wide as the sheet allows.
class Pictures {
public:
    QString place(const QImage& image, double width, bool within = false) {
        if (image.isNull()) return {};
        const QString name = QString("picture:%1").arg(m_all.size());
        m_all[name] = image;
        const double w = std::min(width, m_widest);
        const QString tag =
            QString("<img src=\"%1\" width=\"%2\" height=\"%3\">").arg(name).arg(std::lround(w)).arg(std::lround(w * image.height() / image.width()));
        constexpr double kInline = 60; // a moon in a line of text stays there; a line with a large picture would be as high as that
        return within || w < kInline ? tag : "<p>" + tag + "</p>";
    }
    void addTo(QTextDocument& document) const {
        for (const auto& [name, image] : m_all) document.addResource(QTextDocument::ImageResource, QUrl(name), image);
    }
    explicit Pictures(double widest)
        : m_widest(widest) {}

private:
    std::map<QString, QImage> m_all;
    double m_widest;
};

QString replaced(const QString& text, const QRegularExpression& what, const std::function<QString(const QRegularExpressionMatch&)>& by) {
    QString out;
    qsizetype from = 0;
    for (auto it = what.globalMatch(text); it.hasNext();) {
        const auto match = it.next();
        out += text.mid(from, match.capturedStart() - from) + by(match);
        from = match.capturedEnd();
    }
    return out + text.mid(from);
}

/// The moment at which it was written is all that would differ between two files of one page: it is set to one of the same length.
std::string timeless(const QByteArray& pdf) {
    std::string out(pdf.constData(), static_cast<std::size_t>(pdf.size()));
    const std::string key = "/CreationDate (D:", moment = "20000101000000";
    if (const std::size_t at = out.find(key); at != std::string::npos && at + key.size() + moment.size() < out.size())
        out.replace(at + key.size(), moment.size(), moment);
    return out;
}

/// A page laid out in sheets: one layout for paper and for the preview.
class Sheets {
public:
    /// `sheet` in pixels of `dpi`.
    Sheets(const std::string& html, QSizeF sheet, double dpi)
        : m_px(dpi / 96)
        , m_laid(sheet / m_px)
        , m_font("Inter") {
        m_font.setPointSizeF(9);
        m_document.setDocumentMargin(0);
        m_document.setDefaultFont(m_font);
        // What of the page's style a text document understands.
        m_document.setDefaultStyleSheet(
            "h1 { font-size: 17pt; } h2 { font-size: 12pt; } td, th { padding: 2px 6px; } .voids { color: #a3221a; } .weakens { color: "
            "#8a5a00; } .small { color: #555; }");
        Pictures pictures(m_laid.width());
        m_document.setHtml(understood(QString::fromStdString(html), pictures, m_laid.width(), m_document));
        m_document.setPageSize(m_laid); // laid out as on a screen, drawn larger
    }
    int count() const { return m_document.pageCount(); }
    void paint(QPainter& painter, int n) {
        painter.save();
        painter.scale(m_px, m_px);
        painter.translate(0, -n * m_laid.height());
        QAbstractTextDocumentLayout::PaintContext context;
        context.palette.setColor(QPalette::Text, Qt::black);                                // paper, whatever the theme
        context.clip = QRectF(0, n * m_laid.height(), m_laid.width(), m_laid.height() - 1); // not the next sheet's first row
        painter.setClipRect(context.clip);
        m_document.documentLayout()->draw(&painter, context);
        painter.restore();
        painter.setFont(m_font);
        painter.setPen(Qt::black);
        painter.drawText(QRectF(0, m_px * (m_laid.height() + 4), m_px * m_laid.width(), 24 * m_px), Qt::AlignRight, QString("%1 / %2").arg(n + 1).arg(count()));
    }

private:
    /// The page without what a text document does not understand.
    static QString understood(QString page, Pictures& pictures, double widest, QTextDocument& document) {
        using Option = QRegularExpression;
        page = replaced(page, QRegularExpression("<img[^>]*src=\"data:image/([a-z+]+);base64,([^\"]*)\"[^>]*>"), [&](const QRegularExpressionMatch& m) {
            const QByteArray bytes = QByteArray::fromBase64(m.captured(2).toLatin1());
            if (m.captured(1).startsWith("svg")) return pictures.place(drawn(bytes), widest);
            const QImage image = QImage::fromData(bytes);
            const bool small = image.width() <= 240; // a part of a frame, pixel by pixel
            return pictures.place(image, small ? image.width() : 0.75 * widest, small);
        });
        page = replaced(page, QRegularExpression("<svg.*?</svg>", Option::DotMatchesEverythingOption), [&](const QRegularExpressionMatch& m) {
            QByteArray svg = m.captured(0).toUtf8();
            if (!svg.contains("xmlns")) svg.replace("<svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"");
            const QImage image = drawn(svg);
            return pictures.place(image, image.width() / kDrawingScale);
        });
        // Parts of frames stand side by side, their names beneath.
        page = replaced(page, QRegularExpression("<div class=\"crops\">(.*?)</div>", Option::DotMatchesEverythingOption), [](const QRegularExpressionMatch& m) {
            QString rows, names, pixels;
            int n = 0;
            static const QRegularExpression figure("<figure>(.*?)<figcaption>(.*?)</figcaption></figure>", QRegularExpression::DotMatchesEverythingOption);
            const auto end = [&] {
                rows += "<tr>" + pixels + "</tr><tr>" + names + "</tr>";
                pixels.clear(), names.clear();
            };
            for (auto it = figure.globalMatch(m.captured(1)); it.hasNext();) {
                const auto f = it.next();
                pixels += "<td>" + f.captured(1) + "</td>", names += "<td>" + f.captured(2) + "</td>";
                if (++n % 3 == 0) end();
            }
            if (!pixels.isEmpty()) end();
            return "<table>" + rows + "</table>";
        });
        page.remove(QRegularExpression("</?(details|figure)[^>]*>"));
        page.replace(QRegularExpression("<figcaption[^>]*>"), "<p>").replace("</figcaption>", "</p>");
        page = replaced(page, QRegularExpression("<summary>(.*?)</summary>"),
                        [](const QRegularExpressionMatch& m) { return "<p><b>" + m.captured(1) + "</b></p>"; });
        page.remove(QRegularExpression("<style>.*?</style>", Option::DotMatchesEverythingOption));
        pictures.addTo(document);
        return page;
    }

    double m_px; ///< of a page's pixel
    QSizeF m_laid;
    QFont m_font;
    QTextDocument m_document;
};

constexpr QMarginsF kMargins{16, 16, 16, 18}; // mm

} // namespace

Result<std::string> pdfReport(const std::string& html, const std::string& title, bool letter) {
    QBuffer buffer;
    if (!buffer.open(QIODevice::WriteOnly)) return Error{phrase("There is not enough memory for the page.")};
    QPdfWriter writer(&buffer);
    writer.setResolution(static_cast<int>(kDpi));
    writer.setPageSize(QPageSize(letter ? QPageSize::Letter : QPageSize::A4));
    writer.setPageMargins(kMargins, QPageLayout::Millimeter);
    writer.setTitle(QString::fromStdString(title));
    writer.setCreator("Caelumen");
    Sheets sheets(html, QSizeF(writer.width(), writer.height()), kDpi);
    QPainter painter(&writer);
    if (!painter.isActive()) return Error{phrase("The page could not be drawn; there may not be enough memory.")};
    for (int n = 0; n < sheets.count(); ++n) {
        if (n > 0 && !writer.newPage()) return Error{phrase("A sheet of the page could not be begun; there may not be enough memory.")};
        sheets.paint(painter, n);
    }
    painter.end();
    return timeless(buffer.data());
}

std::vector<QImage> reportSheets(const std::string& html, bool letter, int width) {
    const QSizeF paper = QPageSize(letter ? QPageSize::Letter : QPageSize::A4).size(QPageSize::Millimeter);
    const double mm = width / paper.width(); // pixels of a millimetre
    Sheets sheets(html, QSizeF(paper.width() - kMargins.left() - kMargins.right(), paper.height() - kMargins.top() - kMargins.bottom()) * mm, 25.4 * mm);
    std::vector<QImage> out;
    for (int n = 0; n < sheets.count(); ++n) {
        QImage image(width, static_cast<int>(std::lround(paper.height() * mm)), QImage::Format_RGB32);
        image.fill(Qt::white);
        QPainter painter(&image);
        painter.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
        painter.translate(kMargins.left() * mm, kMargins.top() * mm);
        sheets.paint(painter, n);
        out.push_back(std::move(image));
    }
    return out;
}

} // namespace caelumen
