#include "report/pdf_report.h"

#include <QBuffer>
#include <QImage>
#include <QMarginsF>
#include <QPageSize>
#include <QPainter>
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
    QString place(const QImage& image, double width) {
        if (image.isNull()) return {};
        const QString name = QString("picture:%1").arg(m_all.size());
        m_all[name] = image;
        const double w = std::min(width, m_widest);
        const QString tag =
            QString("<img src=\"%1\" width=\"%2\" height=\"%3\">").arg(name).arg(std::lround(w)).arg(std::lround(w * image.height() / image.width()));
        constexpr double kInline = 60; // a moon in a line of text stays there; a line with a large picture would be as high as that
        return w < kInline ? tag : "<p>" + tag + "</p>";
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

} // namespace

Result<std::string> pdfReport(const std::string& html, const std::string& title) {
    QBuffer buffer;
    if (!buffer.open(QIODevice::WriteOnly)) return Error{"There is not enough memory for the page."};
    QPdfWriter writer(&buffer);
    writer.setResolution(static_cast<int>(kDpi));
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(16, 16, 16, 18), QPageLayout::Millimeter);
    writer.setTitle(QString::fromStdString(title));
    writer.setCreator("Caelumen");
    const QRectF sheet(0, 0, writer.width(), writer.height());

    QString page = QString::fromStdString(html);
    const double px = kDpi / 96, widest = sheet.width() / px; // of a page's pixel; what a sheet is wide in them
    Pictures pictures(widest);
    using Option = QRegularExpression;
    page = replaced(page, QRegularExpression("<img[^>]*src=\"data:image/([a-z+]+);base64,([^\"]*)\"[^>]*>"), [&](const QRegularExpressionMatch& m) {
        const QByteArray bytes = QByteArray::fromBase64(m.captured(2).toLatin1());
        if (m.captured(1).startsWith("svg")) return pictures.place(drawn(bytes), widest);
        const QImage image = QImage::fromData(bytes);
        return pictures.place(image, 0.75 * widest);
    });
    page = replaced(page, QRegularExpression("<svg.*?</svg>", Option::DotMatchesEverythingOption), [&](const QRegularExpressionMatch& m) {
        QByteArray svg = m.captured(0).toUtf8();
        if (!svg.contains("xmlns")) svg.replace("<svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"");
        const QImage image = drawn(svg);
        return pictures.place(image, image.width() / kDrawingScale);
    });
    page.remove(QRegularExpression("</?(details|figure)[^>]*>"));
    page.replace(QRegularExpression("<figcaption[^>]*>"), "<p>").replace("</figcaption>", "</p>");
    page =
        replaced(page, QRegularExpression("<summary>(.*?)</summary>"), [](const QRegularExpressionMatch& m) { return "<p><b>" + m.captured(1) + "</b></p>"; });

    QTextDocument document;
    document.setDocumentMargin(0);
    QFont font("Inter");
    font.setPointSizeF(9);
    document.setDefaultFont(font);
    // What of the page's style a text document understands.
    document.setDefaultStyleSheet("h1 { font-size: 17pt; } h2 { font-size: 12pt; } td, th { padding: 2px 6px; } .voids { color: #a3221a; } .weakens { color: "
                                  "#8a5a00; } .small { color: #555; }");
    page.remove(QRegularExpression("<style>.*?</style>", Option::DotMatchesEverythingOption));
    pictures.addTo(document);
    document.setHtml(page);
    const QSizeF laid = sheet.size() / px; // laid out as on a screen, drawn larger
    document.setPageSize(laid);

    QPainter painter(&writer);
    if (!painter.isActive()) return Error{"The page could not be drawn; there may not be enough memory."};
    const int pages = document.pageCount();
    for (int n = 0; n < pages; ++n) {
        if (n > 0 && !writer.newPage()) return Error{"A sheet of the page could not be begun; there may not be enough memory."};
        painter.save();
        painter.scale(px, px);
        painter.translate(0, -n * laid.height());
        document.drawContents(&painter, QRectF(0, n * laid.height(), laid.width(), laid.height() - 1)); // not the next sheet's first row
        painter.restore();
        painter.setFont(font);
        painter.drawText(QRectF(0, sheet.height() + 4 * px, sheet.width(), 24 * px), Qt::AlignRight, QString("%1 / %2").arg(n + 1).arg(pages));
    }
    painter.end();
    return std::string(buffer.data().constData(), static_cast<std::size_t>(buffer.data().size()));
}

} // namespace caelumen
