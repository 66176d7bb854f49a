#pragma once
#include "app/session/text.h"
#include "core/spatial/number_text.h"

#include <QApplication>
#include <QDoubleSpinBox>
#include <QKeyEvent>
#include <QLineEdit>

#include <functional>

namespace topikos {

/// A number field that takes sums, "1200-45/2", units behind them, and a comma or point as decimal sign. Tells what is
/// being typed before it is entered; Escape takes it back. Enter takes it and goes on to the next field, as Tab does.
/// Its value counts in millimetres and degrees (or whatever `unit` says); what is shown and typed without a unit counts
/// in the units that the person chose.
class NumberField : public QDoubleSpinBox {
    Q_OBJECT
public:
    /// `unit` [m, rad, m/s or rad/s] is what the value counts in.
    explicit NumberField(QWidget* parent, Quantity quantity = Quantity::Number, double unit = 1) :
        QDoubleSpinBox(parent), m_quantity(quantity), m_unit(unit)
    {
        setLocale(QLocale::c());
        setButtonSymbols(QAbstractSpinBox::NoButtons);
        setKeyboardTracking(false);
        setAlignment(Qt::AlignRight);
        setFocusPolicy(Qt::StrongFocus);
        connect(lineEdit(), &QLineEdit::textEdited, this, [this](const QString& words) {
            const auto value = typed(words);
            Q_EMIT typing(value && *value >= minimum() && *value <= maximum() ? value : std::nullopt);
        });
        // What was entered is made now; what was typed and is the same as before is nothing.
        connect(this, &QAbstractSpinBox::editingFinished, this, [this] { Q_EMIT typing(std::nullopt); });
        connect(this, &QDoubleSpinBox::valueChanged, this, [this](double now) {
            if (m_apply && now != m_shown) apply(now);
        });
    }

    /// Shows a value, and what is done with another one that is entered. What is being typed stays while the value is
    /// the same.
    void show(double value, std::function<void(double)> then)
    {
        m_apply = nullptr;
        const bool typing = hasFocus() && lineEdit()->isModified(), all = hasFocus() && lineEdit()->hasSelectedText();
        if (!typing || value != m_given) {
            setValue(value);
            if (all) selectAll();
        }
        m_given = value;
        m_shown = this->value();
        m_apply = std::move(then);
    }
    /// Ends of the range, digits behind the point, and the unit behind the number; nothing that is typed is lost while
    /// they stay the same.
    void limit(double low, double high, int digits, const QString& unit)
    {
        if (digits != m_digits) setDecimals(digits);
        if (low != minimum() || high != maximum()) setRange(low, high);
        if (unit != m_suffix || shownSuffix() != suffix()) setSuffix(unit);
    }
    /// Digits behind the point, of a number in the unit of the value.
    void setDecimals(int digits)
    {
        m_digits = digits;
        QDoubleSpinBox::setDecimals(digits + moreDigits());
    }
    /// What stands behind the number, " mm": in another unit where the person chose one.
    void setSuffix(const QString& suffix)
    {
        m_suffix = suffix;
        QDoubleSpinBox::setDecimals(m_digits + moreDigits());
        QDoubleSpinBox::setSuffix(shownSuffix());
    }
    /// The ends of the range as they are typed: "0 to 500 mm".
    QString rangeText() const
    {
        const auto plain = [this](double v) { return QString::number(v / scale(), 'g', 6); };
        return plain(minimum()) + " to " + plain(maximum()) + shownSuffix();
    }
    /// The person chose other units: all fields show theirs.
    static void showUnits()
    {
        for (QWidget* widget : QApplication::allWidgets())
            if (auto* field = qobject_cast<NumberField*>(widget)) field->setSuffix(field->m_suffix);
    }
    /// Does with a value what is done when it is entered.
    void apply(double value)
    {
        const auto run = m_apply;  // what it does may tell this field anew
        run(value);
    }

Q_SIGNALS:
    /// The value that Enter would take; nothing when it would not, or when the typing was given up.
    void typing(std::optional<double> value);

protected:
    void keyPressEvent(QKeyEvent* event) override
    {
        if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
            QDoubleSpinBox::keyPressEvent(event);
            focusNextChild();
            return;
        }
        const bool isSpecial = !specialValueText().isEmpty() && value() == minimum();
        const QString entered = isSpecial ? specialValueText() : prefix() + textFromValue(value()) + suffix();
        if (event->key() != Qt::Key_Escape || lineEdit()->text() == entered)
            return QDoubleSpinBox::keyPressEvent(event);
        lineEdit()->setText(entered);
        selectAll();
        Q_EMIT typing(std::nullopt);
    }
    QValidator::State validate(QString& input, int&) const override
    {
        const auto value = typed(input);
        return value && *value >= minimum() && *value <= maximum() ? QValidator::Acceptable : QValidator::Intermediate;
    }
    double valueFromText(const QString& words) const override { return typed(words).value_or(value()); }
    QString textFromValue(double value) const override
    {
        return scale() == 1 ? QDoubleSpinBox::textFromValue(value)
                            : QString::number(value / scale(), 'f', m_digits + moreDigits());
    }

private:
    std::optional<double> typed(QString words) const
    {
        // What stands before and behind stays when only the number is selected; a unit typed before that counts.
        if (!prefix().isEmpty() && words.startsWith(prefix())) words.remove(0, prefix().size());
        if (!suffix().isEmpty() && words.endsWith(suffix())) words.chop(suffix().size());
        std::optional<double> value = quantityOf(words.toStdString(), m_quantity, m_unit * scale());
        if (value) *value /= m_unit;
        return value;
    }

    /// The unit that is chosen for what is counted in millimetres or degrees; nullptr for all else.
    const DisplayUnit* chosen() const
    {
        const bool length = m_quantity == Quantity::Length || m_quantity == Quantity::Speed;
        const bool angle = m_quantity == Quantity::Angle || m_quantity == Quantity::TurnSpeed;
        if (length && m_unit == kLengthUnits[0].size) return &lengthUnit();
        if (angle && m_unit == kAngleUnits[0].size) return &angleUnit();
        return nullptr;
    }
    /// Units of the value in one of what is shown.
    double scale() const { return chosen() ? chosen()->size / m_unit : 1; }
    int moreDigits() const
    {
        if (scale() == 1) return 0;
        return chosen()->decimals - (chosen() == &lengthUnit() ? kLengthUnits[0] : kAngleUnits[0]).decimals;
    }
    QString shownSuffix() const
    {
        if (scale() == 1 || m_suffix.isEmpty()) return m_suffix;
        const bool speed = m_quantity == Quantity::Speed || m_quantity == Quantity::TurnSpeed;
        return QString(" ") + chosen()->symbol + (speed ? "/s" : "");
    }

    Quantity m_quantity;
    double m_unit;
    int m_digits = 2;
    QString m_suffix;
    double m_given = 0, m_shown = 0;  ///< as told, and as rounded
    std::function<void(double)> m_apply;
};

}  // namespace topikos
