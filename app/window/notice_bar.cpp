#include "app/window/notice_bar.h"

#include <QHBoxLayout>

#include <algorithm>

namespace topikos {

NoticeBar::NoticeBar(QWidget* parent) : QWidget(parent)
{
    setObjectName("noticeBar");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 5, 12, 5);
    m_words = new QLabel(this);
    m_words->setObjectName("noticeWords");
    row->addWidget(m_words);
    row->addStretch();
    for (int i = 0; i < 2; ++i) {
        m_buttons[i] = new QPushButton(this);
        m_buttons[i]->setObjectName(QString("notice%1").arg(i));
        connect(m_buttons[i], &QPushButton::clicked, this, [this, i] {
            if (m_notices.empty() || i >= int(m_notices.front().choices.size())) return;
            const Notice done = m_notices.front();
            m_notices.erase(m_notices.begin());
            show();
            done.choices[size_t(i)].run();
        });
        row->addWidget(m_buttons[i]);
    }
    show();
}

void NoticeBar::offer(const QString& key, const QString& words, std::vector<Choice> choices)
{
    const auto it = std::find_if(m_notices.begin(), m_notices.end(), [&](const Notice& n) { return n.key == key; });
    if (it != m_notices.end()) *it = {key, words, std::move(choices)};
    else m_notices.push_back({key, words, std::move(choices)});
    show();
}

void NoticeBar::withdraw(const QString& key)
{
    std::erase_if(m_notices, [&](const Notice& n) { return n.key == key; });
    show();
}

void NoticeBar::show()
{
    setVisible(!m_notices.empty());
    if (m_notices.empty()) return;
    const Notice& first = m_notices.front();
    m_words->setText(first.words);
    for (size_t i = 0; i < 2; ++i) {
        m_buttons[i]->setVisible(i < first.choices.size());
        if (i < first.choices.size()) m_buttons[i]->setText(first.choices[i].words);
    }
}

}  // namespace topikos
