// A page of several faces, one at a time, chosen by words at its top.
#pragma once

#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

namespace nutatio::app {

class FacePage : public QWidget {
    Q_OBJECT
  public:
    struct Entry {
        QString name, words, help;
        std::function<QWidget*()> make;  // with its signals connected
    };
    explicit FacePage(QWidget* parent = nullptr);
    QWidget* face() const { return m_face; }
    const QString& title() const { return m_title; }

  Q_SIGNALS:
    void titleChanged(const QString& title);
    void commandWanted(const QString& id);
    void said(const QString& sentence);
    /// A word was clicked.
    void wanted(int entry);

  protected:
    /// `of`: what the page is about.
    void setFaces(const QString& of, const QList<Entry>& entries);
    void show(int entry);
    /// Passes on what a face says, and lays it out.
    template <class Face>
    QWidget* joined(Face* face) {
        connect(face, &Face::titleChanged, this, [this](const QString& title) {
            m_title = title;
            Q_EMIT titleChanged(title);
        });
        connect(face, &Face::said, this, &FacePage::said);
        if constexpr (requires { &Face::commandWanted; }) connect(face, &Face::commandWanted, this, &FacePage::commandWanted);
        face->refresh();
        return face;
    }

  private:
    QList<Entry> m_entries;
    QVBoxLayout* m_layout;
    QList<QPushButton*> m_words;
    QWidget* m_face = nullptr;
    QString m_title;
};

}  // namespace nutatio::app
