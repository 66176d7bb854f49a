#pragma once
#include <QPushButton>
#include <QWidget>

#include <functional>
#include <vector>

namespace topikos {

/// Small buttons in as many rows as the width asks for; what they do can be told anew.
class ButtonBox : public QWidget {
public:
    explicit ButtonBox(QWidget* parent) : QWidget(parent)
    {
        QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Preferred);
        policy.setHeightForWidth(true);
        setSizePolicy(policy);
    }
    void add(QPushButton* button) { m_buttons.push_back(button); }
    void setRuns(std::vector<std::function<void()>> runs) { m_runs = std::move(runs); }
    void run(size_t i) const
    {
        const auto own = m_runs[i];  // it may tell the buttons anew
        own();
    }

    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override { return arrange(width, false); }
    QSize sizeHint() const override { return {226, heightForWidth(226)}; }
    QSize minimumSizeHint() const override
    {
        int widest = 0;
        for (const QPushButton* b : m_buttons)
            widest = std::max(widest, b->sizeHint().width());
        return {widest, m_buttons.empty() ? 0 : m_buttons.front()->sizeHint().height()};
    }

protected:
    void resizeEvent(QResizeEvent*) override { arrange(width(), true); }

private:
    /// The height that the rows take; puts the buttons there if asked to.
    int arrange(int width, bool put) const
    {
        constexpr int gap = 3;
        int x = 0, y = 0, row = 0;
        for (QPushButton* b : m_buttons) {
            const QSize size = b->sizeHint();
            if (x > 0 && x + size.width() > width) x = 0, y += row + gap, row = 0;
            if (put) b->setGeometry(x, y, size.width(), size.height());
            x += size.width() + gap;
            row = std::max(row, size.height());
        }
        return y + row;
    }

    std::vector<QPushButton*> m_buttons;
    std::vector<std::function<void()>> m_runs;
};

}  // namespace topikos
