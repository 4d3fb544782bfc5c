#pragma once

#include <QSqlDatabase>
#include <QString>
#include <QUuid>

namespace caelumen {

/// A database of its own for as long as this lives.
class Database {
public:
    /// `options`: as QSqlDatabase::setConnectOptions takes them.
    explicit Database(const QString& path, const QString& options = {}) {
        QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", m_name);
        db.setDatabaseName(path);
        db.setConnectOptions(options);
        m_open = db.open();
    }
    ~Database() {
        QSqlDatabase::database(m_name, false).close();
        QSqlDatabase::removeDatabase(m_name);
    }
    Database(const Database&) = delete;
    Database& operator=(const Database&) = delete;
    bool isOpen() const { return m_open; }
    QSqlDatabase get() const { return QSqlDatabase::database(m_name); }

private:
    QString m_name = QUuid::createUuid().toString();
    bool m_open = false;
};

} // namespace caelumen
