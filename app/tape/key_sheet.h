// What opens below a lane: a row for each setting that changes in the shot, with its curve, its keys or the gauge it follows.
#pragma once

#include <QWidget>

#include "app/document/session.h"
#include "app/tape/key_hand.h"

namespace nutatio::app {

class KeySheet : public QWidget, private KeyGround {
    Q_OBJECT
  public:
    KeySheet(Document& document, Session& session, TimeView& view, KeySelection& keys, scene::Owner owner, int left,
             QWidget* parent = nullptr);
    const scene::Owner& owner() const { return m_owner; }
    /// Rows for what is keyed and fed now.
    void rebuild();
    int rows() const { return static_cast<int>(m_rows.size()); }
    /// Where a key, and the end of a free one's slope, is drawn; for tests.
    QPointF keyPoint(const edit::KeyOf& key) const { return m_hand.point(key); }
    QPointF slopePoint(const edit::KeyOf& key, bool after) const { return m_hand.slopePoint(key, after); }

  Q_SIGNALS:
    void menuWanted(const QPoint& global);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void mouseDoubleClickEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    void contextMenuEvent(QContextMenuEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    bool event(QEvent* e) override;

  private:
    struct Row {
        std::string id;
        const scene::SettingSpec* spec;  // null: of a gauge that reads what the layer makes
        std::string gauge;               // that it follows; empty: it has keys
        scene::Range range{};            // from bottom to top
    };
    FrameScale frames() const override { return m_view.scale(width() - m_left); }
    double left() const override { return m_left; }
    double yOf(const Keyed& of, double value) const override;
    double valueAt(const Keyed& of, double y) const override;
    double pixels(const Keyed& of) const override;
    std::vector<Keyed> editable() const override;
    std::optional<Keyed> curveUnder(const QPointF& p) const override;
    double yOf(const Row& row, double value) const;
    double topOf(const Row& row) const;
    const Row* rowOf(const std::string& setting) const;
    void fitRanges();
    void paintRow(QPainter& p, const Row& row);
    void paintGauge(QPainter& p, const Row& row);

    Document& m_document;
    Session& m_session;
    TimeView& m_view;
    KeySelection& m_keys;
    scene::Owner m_owner;
    int m_left;
    std::vector<Row> m_rows;
    KeyHand m_hand;
};

}  // namespace nutatio::app
