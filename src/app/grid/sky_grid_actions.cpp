#include "app/await.h"
#include "app/grid/sky_grid.h"
#include "app/widgets/copied.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "core/base/json.h"
#include "core/grid/grid_out.h"

#include <QBuffer>
#include <QFileInfo>

/// What leaves the Sky grid: tables, results and pictures; and other campaigns that come in.
namespace caelumen {

QString SkyGrid::tableText() const {
    const GridPicture picture = pictureOf();
    QStringList head{tr("filter")};
    for (const GridSky& s : picture.columns) head << QString::fromStdString(skyText(s));
    QString out = copiedRow(head);
    for (int r = 0; r < static_cast<int>(picture.rows.size()); ++r) {
        QStringList cells{copiedName(picture.rows[static_cast<std::size_t>(r)].name.toStdString())};
        for (int c = 0; c < static_cast<int>(picture.columns.size()); ++c)
            if (const GridCell* cell = picture.at(r, c))
                cells << (cell->origin == CellOrigin::Empty ? QString()
                                                            : QString("%1 (%2)").arg(cellText(*cell, picture.quantity), QString(cellOriginName(cell->origin))));
        out += copiedRow(cells);
    }
    return out;
}

QByteArray SkyGrid::exported(const QString& ending) const {
    if (ending == "csv") return QByteArray::fromStdString(gridToCsv(*m_model.grid(), m_model.question(), m_model.cells()));
    if (ending == "json")
        return QByteArray::fromStdString(jsonText(gridToJson(*m_model.grid(), m_model.question(), m_model.cells(), m_model.borders()), 1) + "\n");
    return awaited([picture = pictureOf(), ending] {
        if (ending == "svg") return gridSvg(picture);
        QByteArray bytes;
        QBuffer buffer(&bytes);
        return gridImage(picture).save(&buffer, "PNG") ? bytes : QByteArray();
    });
}

void SkyGrid::askExport(const QString& ending) {
    if (!m_model.grid() || m_model.cells().empty()) return emit problem(tr("There is no grid yet; measure a trial first."));
    const QString filter = ending == "csv"    ? tr("Table (*.csv)")
                           : ending == "json" ? tr("Results (*.json)")
                           : ending == "svg"  ? tr("Drawing (*.svg)")
                                              : tr("Picture (*.png)");
    QString path = m_prompts.saveFile(this, tr("Export the sky grid"),
                                      QString("sky-grid-%1.%2").arg(QString(gridQuantityName(m_model.question().quantity)).replace('_', '-'), ending), filter);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += "." + ending;
    const QByteArray bytes = exported(ending);
    if (bytes.isEmpty()) return emit problem(tr("The picture could not be made; there may not be enough memory."));
    if (const Status written = m_session.write(path, {bytes.constData(), static_cast<std::size_t>(bytes.size())}); !written)
        return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
}

void SkyGrid::askCampaign() {
    const QString path = m_prompts.openFile(this, tr("Lay another campaign into the grid"), tr("Campaigns (*.caelumen);;All files (*)"));
    if (path.isEmpty()) return;
    if (const Status added = m_model.addCampaign(path); !added) return emit problem(QString::fromStdString(added.error().message));
    emit told(tr("The trials of %1 are in the grid").arg(QFileInfo(path).completeBaseName()));
}

} // namespace caelumen
