#pragma once
#include "app/instruments/teach_panel.h"
#include "app/fields/fields.h"
#include "app/session/session.h"
#include "core/spatial/limits.h"
#include "core/spatial/number_text.h"

#include <QGridLayout>
#include <QLabel>
#include <QWidget>

#include <functional>
#include <map>
#include <set>

namespace topikos {

class NumberField;

/// What one kind of thing is made of, each value editable in place. A page says in fill() which fields it holds; fields
/// that it held before stay the same widgets, so that focus, what is being typed and places outlive an edit.
class Page : public QWidget {
    Q_OBJECT
public:
    /// `kind` names the page where what is folded is remembered.
    Page(Session& session, const QString& kind, QWidget* parent);

    /// Shows what is selected as it is now.
    void refresh();
    /// The keys go to the first field.
    void focusFirst();
    /// Where the axes that are shown stand by now.
    void showAxesNow();

Q_SIGNALS:
    /// An edit was refused: what is shown is no longer what is in the cell.
    void refused();
    /// Somebody wants to teach what is selected by points.
    void teachRequested(TeachPanel::Kind kind);
    /// A shape is to be read from a file into what is selected.
    void shapeFileRequested();

protected:
    /// Tells every field of the page, from top to bottom.
    virtual void fill() = 0;

    void setTitle(const QString& words) { m_title->setText(words); }
    /// Makes an edit, or shows what it would make while a value is being typed.
    void edit(const QString& label, const Edit& change);
    /// True while a value is being typed: what is done then is shown only.
    bool trying() const { return m_trying; }

    void addName(const std::string& name, std::function<void(const std::string&)> apply);
    /// A number in display units; `apply` gets it in the same units.
    void addNumber(const QString& label, const QString& name, double value, const QString& unit, double low,
                   double high, int decimals, std::function<void(double)> apply, bool wide = false);
    /// The same from end to end of a limit, in units of `unitSize`.
    void addNumber(const QString& label, const QString& name, double value, const QString& unit, const Limit& limit,
                   double unitSize, int decimals, std::function<void(double)> apply, bool wide = false);
    /// Six numbers in the display units, named `prefix`0 to 5; untouched ones keep their full digits.
    void addPose(const Pose& pose, std::function<void(const Pose&)> apply, const QString& prefix = "pose");
    struct Button {
        QString words, name, tip;
        std::function<void()> run;
    };
    void addButtons(const std::vector<Button>& buttons);
    /// The head of a group: a press folds what is below it. `group` names it where the words change.
    void addHead(const QString& words, const QString& group = {});
    void addChoice(const QString& label, const QString& name, const QStringList& words, int current,
                   std::function<void(int)> apply);
    /// With a long list, made when it is wanted.
    void addLongChoice(const QString& label, const QString& name, const QString& now,
                       std::function<ChoiceField::Offer()> offer, std::function<void(int)> apply);
    void addCheck(const QString& words, const QString& name, const QString& tip, bool on,
                  std::function<void(bool)> apply);
    /// A line of words; `apply` as in WordsField.
    void addLine(const QString& label, const QString& name, const QString& words, const QString& tip,
                 std::function<bool(const QString&)> apply, const QString& whenEmpty = {});
    void addText(const QString& label, const QString& value);
    /// How the way to a target, or to a grip point, is free; fields are named `prefix`Freedom, `prefix`Angle, …
    void addFreedom(const QString& prefix, const Freedom& free, const std::function<void(const Freedom&)>& set);
    /// The way to a target, or the one from it; fields are named `prefix`Far, `prefix`Near, `prefix`Along.
    void addApproach(const QString& label, const QString& prefix, const Approach& way,
                     const std::function<void(const Approach&)>& set);
    /// One axis of a device, with what is known of it.
    void addAxis(const Frame& frame);

    Session& m_session;

private:
    struct Row {
        QWidget* field = nullptr;
        QLabel* label = nullptr;
        int cell = -1;  ///< in half rows
        bool wide = false;
    };
    /// The field of that sort and name: the one that was there, or a new one. `also` tells fields of one name apart
    /// that are not the same.
    template <class Field>
    Field* field(const QString& label, const QString& name, bool wide, const std::function<Field*()>& make,
                 const QString& also = {});
    void place(Row& row, const QString& label, bool wide);
    void drop(const Row& row);
    NumberField* newNumber(QWidget* parent, const QString& name, Quantity quantity, double unit);
    void showTyped(NumberField* field, std::optional<double> value);
    void orderTabs();
    void fold(const QString& group, bool folded);

    QString m_kind;
    QLabel* m_title;
    QGridLayout* m_grid;
    std::map<QString, Row> m_rows, m_before;
    std::vector<QString> m_order;    ///< keys of rows from top to bottom
    std::map<QString, int> m_named;  ///< how often a key was used in this pass
    std::set<QString> m_folded;      ///< groups
    QString m_group;                 ///< that is being filled
    int m_cell = 0;                  ///< next free half row
    bool m_trying = false;           ///< a value is being typed
};

double unitOf(JointKind kind);  ///< of the values of an axis as they are shown [rad or m]
QString symbolOf(JointKind kind);

}  // namespace topikos
