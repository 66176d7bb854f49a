#pragma once
#include "core/spatial/number_text.h"

#include <QDoubleSpinBox>
#include <QKeyEvent>
#include <QLineEdit>

#include <functional>

namespace topikos {

/// A number field that takes sums, "1200-45/2", units behind them, and a comma or point as decimal sign. Tells what is
/// being typed before it is entered; Escape takes it back. Enter takes it and goes on to the next field, as Tab does.
class NumberField : public QDoubleSpinBox {
    Q_OBJECT
public:
    /// `unit` [m or rad] is what the number counts in when none is typed.
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
        if (digits != decimals()) setDecimals(digits);
        if (low != minimum() || high != maximum()) setRange(low, high);
        if (unit != suffix()) setSuffix(unit);
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

private:
    std::optional<double> typed(QString words) const
    {
        // What stands before and behind stays when only the number is selected; a unit typed before that counts.
        if (!prefix().isEmpty() && words.startsWith(prefix())) words.remove(0, prefix().size());
        if (!suffix().isEmpty() && words.endsWith(suffix())) words.chop(suffix().size());
        std::optional<double> value = quantityOf(words.toStdString(), m_quantity, m_unit);
        if (value) *value /= m_unit;
        return value;
    }

    Quantity m_quantity;
    double m_unit;
    double m_given = 0, m_shown = 0;  ///< as told, and as rounded
    std::function<void(double)> m_apply;
};

}  // namespace topikos
