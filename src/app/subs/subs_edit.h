#pragma once

#include "app/subs/subs_model.h"

#include <QUndoCommand>

namespace caelumen {

/// A change of what a person decided; consecutive ones of the same kind become one step.
class SubsEdit : public QUndoCommand {
public:
    SubsEdit(SubsModel& model, const QString& what, SubsDecisions before, SubsDecisions after, int merge)
        : QUndoCommand(what)
        , m_model(model)
        , m_before(std::move(before))
        , m_after(std::move(after))
        , m_merge(merge) {}
    void redo() override { m_model.setDecisions(m_after); }
    void undo() override { m_model.setDecisions(m_before); }
    int id() const override { return m_merge > 0 ? 1000 + m_merge : -1; }
    bool mergeWith(const QUndoCommand* other) override {
        m_after = static_cast<const SubsEdit*>(other)->m_after;
        return true;
    }

private:
    SubsModel& m_model;
    SubsDecisions m_before, m_after;
    int m_merge;
};

} // namespace caelumen
