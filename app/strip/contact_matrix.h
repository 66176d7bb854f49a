#pragma once
#include "app/fields/number_field.h"
#include "app/background/background.h"
#include "app/session/session.h"
#include "core/collide/pairs.h"

#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

namespace topikos {

/// Which pairs of bodies are checked for contact: found by sampling, then switched by hand, each with its reason and,
/// if it has one, a clearance of its own.
class ContactMatrix : public QWidget {
    Q_OBJECT
public:
    ContactMatrix(Session& session, QWidget* parent = nullptr);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void fill();
    void search();
    /// No more search.
    void rest();
    const ContactPair* currentPair() const;
    void showPair();
    void setCaution();

    Session& m_session;
    NumberField *m_samples, *m_seed;
    QPushButton* m_find;
    QLabel *m_counts, *m_pair;
    NumberField* m_caution;
    std::pair<int, int> m_current{-1, -1};  ///< row and column of the pair chosen
    QTableWidget* m_table;
    Background m_search;
    std::vector<ContactMember> m_members;  ///< rows and columns
};

}  // namespace topikos
