#pragma once
#include <QCheckBox>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>

#include <functional>
#include <utility>

namespace topikos {

/// A list of words that can be told anew what it shows and does; nothing changes while that is the same.
class ChoiceField : public QComboBox {
public:
    explicit ChoiceField(QWidget* parent) : QComboBox(parent)
    {
        // Long names are cut, not the panel widened.
        setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        setMinimumContentsLength(8);
        connect(this, &QComboBox::activated, this, [this](int now) {
            const auto run = m_apply;  // what it does may tell this field anew
            if (now != m_current) run(now);
        });
    }
    void show(const QStringList& words, int current, std::function<void(int)> apply)
    {
        m_later = nullptr;
        if (words != m_words) {
            clear();
            addItems(words);
            m_words = words;
        }
        setCurrentIndex(current);
        m_current = current;
        m_apply = std::move(apply);
    }
    /// All that can be chosen, and which of it is the present one.
    struct Offer {
        QStringList words;
        int current = -1;
    };
    /// The same with a long list, which is made when somebody is about to choose from it.
    void showLater(const QString& now, std::function<Offer()> offer, std::function<void(int)> apply)
    {
        show({now}, 0, std::move(apply));
        m_later = std::move(offer);
    }
    void showPopup() override
    {
        fill();
        QComboBox::showPopup();
    }

protected:
    void keyPressEvent(QKeyEvent* event) override
    {
        fill();
        QComboBox::keyPressEvent(event);
    }
    void wheelEvent(QWheelEvent* event) override
    {
        fill();
        QComboBox::wheelEvent(event);
    }

private:
    void fill()
    {
        if (!m_later) return;
        const Offer offer = std::exchange(m_later, nullptr)();
        show(offer.words, offer.current, m_apply);
    }

    QStringList m_words;
    int m_current = -1;
    std::function<void(int)> m_apply;
    std::function<Offer()> m_later;
};

/// A line of words of the same sort. What is being typed stays while what is shown is the same; Escape takes it back.
/// Enter takes it, and goes on to the next field where `goesOn`.
class WordsField : public QLineEdit {
public:
    /// True when what was typed may stay though it could not be taken, to be put right.
    using Apply = std::function<bool(const QString&)>;

    explicit WordsField(QWidget* parent, bool goesOn = true) : QLineEdit(parent), m_goesOn(goesOn)
    {
        connect(this, &QLineEdit::editingFinished, this, [this] {
            if (text().trimmed() == m_shown) return;
            const Apply run = m_apply;
            if (!run(text().trimmed())) setText(m_shown);
        });
    }
    void show(const QString& words, Apply apply)
    {
        if (words != m_shown || !(hasFocus() && isModified())) {
            const bool all = hasFocus() && hasSelectedText();
            if (words != text()) setText(words);
            if (all) selectAll();
        }
        m_shown = words;
        m_apply = std::move(apply);
    }

protected:
    void keyPressEvent(QKeyEvent* event) override
    {
        if (event->key() == Qt::Key_Escape && text() != m_shown) {
            setText(m_shown);
            selectAll();
            return;
        }
        QLineEdit::keyPressEvent(event);
        if (m_goesOn && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)) focusNextChild();
    }

private:
    bool m_goesOn;
    QString m_shown;
    Apply m_apply;
};

/// A box with a tick of the same sort.
class CheckField : public QCheckBox {
public:
    explicit CheckField(QWidget* parent) : QCheckBox(parent)
    {
        connect(this, &QCheckBox::clicked, this, [this](bool on) {
            const auto run = m_apply;
            run(on);
        });
    }
    void show(const QString& words, bool on, std::function<void(bool)> apply)
    {
        setText(words);
        setChecked(on);
        m_apply = std::move(apply);
    }

private:
    std::function<void(bool)> m_apply;
};

}  // namespace topikos
