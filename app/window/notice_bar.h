#pragma once
#include <QLabel>
#include <QPushButton>

#include <functional>

namespace topikos {

/// A line under the head that tells of something and offers what can be done about it. One at a time; the next waits.
class NoticeBar : public QWidget {
    Q_OBJECT
public:
    struct Choice {
        QString words;
        std::function<void()> run;
    };
    explicit NoticeBar(QWidget* parent = nullptr);
    /// Shown once per `key`: the same again replaces the words.
    void offer(const QString& key, const QString& words, std::vector<Choice> choices);
    void withdraw(const QString& key);

private:
    struct Notice {
        QString key, words;
        std::vector<Choice> choices;
    };
    void show();

    std::vector<Notice> m_notices;
    QLabel* m_words;
    QPushButton* m_buttons[2];
};

}  // namespace topikos
