// The shelf of feels: each with a small picture of how it moves, made by the solver.
#pragma once

#include <QAbstractButton>
#include <QGridLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <QWidget>

#include "app/document/document.h"
#include "app/document/session.h"
#include "layers/feels.h"

namespace nutatio::app {

/// One feel. Still, it shows a few moments over one another; under the mouse it moves.
class FeelTile : public QAbstractButton {
    Q_OBJECT
  public:
    explicit FeelTile(layers::Feel feel, QWidget* parent = nullptr);
    const layers::Feel& feel() const { return m_feel; }
    void setOn(bool on);
    bool isMoving() const { return m_clock.isActive(); }
    void setMoving(bool moving);

  Q_SIGNALS:
    void hovered(const QString& about);

  protected:
    QSize sizeHint() const override { return {82, 66}; }
    void paintEvent(QPaintEvent*) override;
    void enterEvent(QEnterEvent*) override;
    void leaveEvent(QEvent*) override;

  private:
    void paintMoment(QPainter& p, std::size_t frame, const QColor& c, double width) const;
    layers::Feel m_feel;
    mutable layers::FeelMotion m_motion;
    QTimer m_clock;
    std::size_t m_frame = 0;
    bool m_on = false;
};

class FeelsShelf : public QWidget {
    Q_OBJECT
  public:
    FeelsShelf(Document& document, Session& session, QWidget* parent = nullptr);
    /// Shows the feels of one kind.
    void show(const std::string& kind);
    void refresh();
    FeelTile* tile(const QString& name) const;
    QLineEdit* nameField() const { return m_name; }
    QPushButton* saveButton() const { return m_save; }
    /// Where a person's own feels are kept.
    static QString folder();

  Q_SIGNALS:
    void hovered(const QString& about);
    void said(const QString& sentence);
    /// The person wants this feel on the selected layer.
    void wanted(const nutatio::layers::Feel& feel);

  private:
    void build();
    void saveOwn();
    Document& m_document;
    Session& m_session;
    std::string m_kind;
    QGridLayout* m_grid;
    QWidget* m_body;
    QLineEdit* m_name;
    QPushButton* m_save;
    QList<FeelTile*> m_tiles;
};

}  // namespace nutatio::app
