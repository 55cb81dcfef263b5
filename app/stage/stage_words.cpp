// Words on the stage: names of joints, readings of gauges, what the tool in hand says.
#include <QPainter>

#include "app/look/theme.h"
#include "app/stage/stage.h"
#include "scene/items.h"

namespace nutatio::app {

/// Labels on one picture, each below those that it would cover.
class Stage::Labels {
  public:
    explicit Labels(QPainter& painter) : m_painter(painter) {}
    void add(const QPointF& at, const QString& text, const QColor& colour) {
        m_painter.setFont(look::textFont(9, QFont::Bold));
        QRectF box = QFontMetricsF(m_painter.font()).boundingRect(text).adjusted(-5, -3, 5, 3).translated(at + QPointF(12, -10));
        for (int turn = 0; turn < 4; ++turn)
            for (const QRectF& other : m_written)
                if (box.intersects(other)) box.moveTop(other.bottom() + 1);
        m_written.push_back(box);
        m_painter.fillRect(box, look::faded(look::theme().sheet, 0.9));
        m_painter.setPen(colour);
        m_painter.drawText(box, Qt::AlignCenter, text);
    }

  private:
    QPainter& m_painter;
    std::vector<QRectF> m_written;
};

void Stage::write(QPainter& p) {
    Labels labels(p);
    writeNames(labels);
    if (const auto [text, colour] = toolWords(); !text.isEmpty()) labels.add(QPointF(4, height() - 22.0), text, colour);
    if (m_session.bodyHeld()) labels.add(QPointF(4, 32), tr("Body without layers"), look::theme().plum);
    if (m_session.ghost() && m_session.other() && !m_session.bodyHeld())
        labels.add(QPointF(4, 32), tr("Ghost: %1").arg(QString::fromStdString(m_session.other()->name)), look::theme().plum);
    if (!m_document.scene().actors.empty() && !m_tugOn && m_session.selection() == Selection{}) {
        const QString hint =
            tr("Drag on empty ground or with the right button: turn   ·   middle button: shift   ·   wheel: zoom   ·   F: frame");
        p.setFont(look::textFont(8.5));
        const QRectF box(6, height() - 22.0, QFontMetricsF(p.font()).horizontalAdvance(hint) + 10, 18);
        p.fillRect(box, look::faded(look::theme().sheet, 0.7));
        p.setPen(look::theme().inkSoft);
        p.drawText(box, Qt::AlignCenter, hint);
    }
    if (m_document.scene().actors.empty()) {
        p.setFont(look::textFont(12));
        p.setPen(look::theme().inkSoft);
        p.drawText(rect(), Qt::AlignCenter, tr("Drop a character here: .glb, .gltf or .bvh\nor open one with Ctrl+O"));
    }
}

void Stage::writeNames(Labels& labels) const {
    const Selection& sel = m_session.selection();
    const Shown* s = shown(sel.actor);
    if (s && !sel.joints.empty())
        if (const auto at = jointPixel(sel.actor, sel.joints.front()))
            labels.add(*at, QString::fromStdString(rig::plainName(s->posed.actor->skeleton, sel.joints.front())),
                       look::theme().lagoon);
    if (const auto hand = m_session.handJoint(); hand && !m_tugOn)
        if (const auto at = jointPixel(hand->actor->id, hand->joint))
            labels.add(*at + QPointF(0, -70),
                       m_poseHand.words().isEmpty()
                           ? QString::fromStdString(rig::plainName(hand->actor->actor->skeleton, hand->joint))
                           : m_poseHand.words(),
                       look::theme().lagoon);
    for (const scene::Gauge& g : m_document.scene().gauges) {
        const bool chosen = g.id == sel.gauge;
        if (g.hidden && !chosen) continue;
        const auto on = chosen || m_jointsShown ? carrier(g.of) : std::nullopt;
        const QString words = on ? gaugeWords(g) : QString();
        if (const auto at = words.isEmpty() ? std::nullopt : m_camera.pixel(on->t, size()))
            labels.add(*at, chosen ? QString::fromStdString(g.name) + QStringLiteral(": ") + words : words,
                       chosen ? look::theme().lagoon : look::theme().inkSoft);
    }
    if (m_hover)
        if (const auto at = jointPixel(m_hover->actor, m_hover->joint); at && shown(m_hover->actor))
            labels.add(*at, QString::fromStdString(rig::plainName(shown(m_hover->actor)->posed.actor->skeleton, m_hover->joint)),
                       look::theme().ink);
}

std::pair<QString, QColor> Stage::toolWords() const {
    const look::Theme& theme = look::theme();
    if (const rig::Walk* walk = m_tug.walking())
        if (const scene::ActorEntry* a = m_document.scene().actor(m_tug.actor()))
            return {
                tr("%1, %2 m/s, %3 s   ·   Up, Down: faster, slower   ·   Left, Right: turn   ·   Enter keeps it, Esc does not")
                    .arg(QString::fromStdString(walk->gait().speed > 0 ? walk->gait().clip : tr("Stands").toStdString()))
                    .arg(walk->speed() * scene::placementOf(*a).metres, 0, 'f', 2)
                    .arg(walk->time(), 0, 'f', 1),
                theme.brick};
    if (m_tugOn && !m_document.scene().actors.empty()) {
        if (m_tug.isRecording()) return {tr("Tug: recording"), theme.brick};
        if (m_session.performing().on)
            return {tr("Performing: drag a joint while the shot plays; each round is a layer"), theme.brick};
        return {tr("Tug: drag a joint; Ctrl drags the whole actor"), theme.lagoon};
    }
    if (m_tool == Tool::Helper && m_helper.proposed) {
        const QString joint = QString::fromStdString(m_helper.proposed->joint);
        return {m_helper.mesh.isEmpty() ? tr("Hangs on %1; the tinted skin follows it").arg(joint)
                                        : tr("Hangs on %1; the tinted skin of the mesh %2 follows it").arg(joint, m_helper.mesh),
                theme.lagoon};
    }
    if (m_tool == Tool::Chain && m_chain.proposed)
        return {tr("%1 joints from %2: a click makes them   ·   wheel: how many")
                    .arg(m_chain.proposed->row.size() - 1)
                    .arg(QString::fromStdString(m_chain.proposed->joint)),
                theme.lagoon};
    if (m_tool == Tool::Chain && m_chain.overBody)
        return {tr("This is the body itself: drag along what the chain is to follow"), theme.lagoon};
    return {};
}

}  // namespace nutatio::app
