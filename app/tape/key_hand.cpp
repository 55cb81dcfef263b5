#include "app/tape/key_hand.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/tape/play_head.h"
#include "app/widgets/slider.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

constexpr double kKeyGrab = 7, kArm = 30;  // pixels

}  // namespace

KeyHand::KeyHand(Document& document, Session& session, KeySelection& keys, KeyGround& ground, QWidget& widget)
    : m_document(document), m_session(session), m_keys(keys), m_ground(ground), m_widget(widget) {}

const scene::KeyAt* KeyHand::find(const edit::KeyOf& key) const {
    const scene::Keys* keys = m_document.scene().shot().keysOf(key.owner, key.setting);
    const auto at = keys ? scene::keyAt(*keys, key.at) : scene::Keys::const_iterator{};
    return keys && at != keys->end() ? &*at : nullptr;
}

QPointF KeyHand::point(const edit::KeyOf& key) const {
    const scene::KeyAt* k = find(key);
    if (!k) return {};
    return {m_ground.left() + m_ground.frames().x(k->at * m_document.scene().shot().fps),
            m_ground.yOf({key.owner, key.setting}, k->value)};
}

QPointF KeyHand::slopePoint(const edit::KeyOf& key, bool after) const {
    const scene::KeyAt* k = find(key);
    if (!k) return {};
    const FrameScale s = m_ground.frames();
    const double perSecond = s.x(m_document.scene().shot().fps) - s.x(0);
    const double slope =
        (after ? k->after : k->before) * m_ground.pixels({key.owner, key.setting}) / perSecond;  // pixels up, a pixel on
    const double on = kArm / std::hypot(1, slope) * (after ? 1 : -1);
    return point(key) + QPointF(on, -slope * on);
}

std::optional<edit::KeyOf> KeyHand::under(const QPointF& p) const {
    std::optional<edit::KeyOf> best;
    double nearest = kKeyGrab;
    for (const Keyed& of : m_ground.editable())
        if (const scene::Keys* keys = m_document.scene().shot().keysOf(of.owner, of.setting))
            for (const scene::KeyAt& k : *keys) {
                const edit::KeyOf key{of.owner, of.setting, k.at};
                const QPointF d = point(key) - p;
                if (std::hypot(d.x(), d.y()) > nearest) continue;
                nearest = std::hypot(d.x(), d.y());
                best = key;
            }
    return best;
}

std::vector<edit::KeyOf> KeyHand::in(const QRectF& box) const {
    std::vector<edit::KeyOf> out;
    for (const Keyed& of : m_ground.editable())
        if (const scene::Keys* keys = m_document.scene().shot().keysOf(of.owner, of.setting))
            for (const scene::KeyAt& k : *keys)
                if (box.contains(point({of.owner, of.setting, k.at}))) out.push_back({of.owner, of.setting, k.at});
    return out;
}

std::optional<std::pair<edit::KeyOf, bool>> KeyHand::slopeUnder(const QPointF& p) const {
    const std::vector<Keyed> here = m_ground.editable();
    for (const edit::KeyOf& k : m_keys.keys()) {
        if (std::find(here.begin(), here.end(), Keyed{k.owner, k.setting}) == here.end()) continue;
        const scene::KeyAt* at = find(k);
        if (!at || at->ease != scene::Ease::Free) continue;
        for (bool after : {false, true})
            if (const QPointF d = slopePoint(k, after) - p; std::hypot(d.x(), d.y()) < kKeyGrab) return std::pair(k, after);
    }
    return std::nullopt;
}

void KeyHand::paint(QPainter& p, const Keyed& of) const {
    const scene::Keys* keys = m_document.scene().shot().keysOf(of.owner, of.setting);
    if (!keys) return;
    const look::Theme& t = look::theme();
    for (const scene::KeyAt& k : *keys) {
        const edit::KeyOf key{of.owner, of.setting, k.at};
        const bool selected = m_keys.has(key);
        if (selected && k.ease == scene::Ease::Free)
            for (bool after : {false, true}) {
                p.setPen(QPen(t.lagoon, 1.2));
                p.drawLine(point(key), slopePoint(key, after));
                p.setBrush(t.sheet);
                p.drawEllipse(slopePoint(key, after), 3.2, 3.2);
            }
        paintKey(p, point(key), selected, selected ? 5 : 4.5);
    }
}

void KeyHand::paintBox(QPainter& p) const {
    if (m_drag != Drag::Box) return;
    const look::Theme& t = look::theme();
    p.setPen(QPen(t.lagoon, 1, Qt::DashLine));
    p.setBrush(look::faded(t.lagoon, 0.12));
    p.drawRect(QRectF(m_pressed, m_now).normalized());
}

void KeyHand::press(QMouseEvent* e) {
    m_widget.setFocus(Qt::MouseFocusReason);
    m_pressed = m_now = e->position();
    m_adds = e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier);
    m_gesture = Slider::newGesture();
    m_across.reset();
    if (const auto slope = slopeUnder(e->position())) {
        m_grabbed = slope->first;
        m_after = slope->second;
        m_drag = Drag::Slope;
    } else if (const auto key = under(e->position())) {
        if (m_adds)
            m_keys.toggle(*key);
        else if (!m_keys.has(*key))
            m_keys.set({*key});
        m_grabbed = key;
        m_taken = m_keys.keys();
        m_drag = m_keys.has(*key) ? Drag::Keys : Drag::None;
    } else {
        m_drag = Drag::Box;
    }
}

void KeyHand::dragKeys(QMouseEvent* e) {
    constexpr double kWay = 4;
    const QPointF way = e->position() - m_pressed;
    if (!m_across) {
        if (std::hypot(way.x(), way.y()) < kWay) return;
        m_across = std::abs(way.x()) >= std::abs(way.y());
    }
    const FrameScale s = m_ground.frames();
    const scene::Shot& shot = m_document.scene().shot();
    const double times = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
    edit::KeyMove move;
    std::vector<edit::KeyOf> moved = m_taken, still;
    if (*m_across) {
        double frames = times * way.x() / (s.x(1) - s.x(0));
        if (m_keys.snaps()) {
            // The key in hand lands on a frame, the others keep their distance.
            const double at = m_grabbed->at * shot.fps;
            frames = std::round(at + frames) - at;
        }
        double least = 1e300;
        for (const edit::KeyOf& k : m_taken) least = std::min(least, k.at);
        move.by = std::max(frames / shot.fps, -least);
    } else {
        const Keyed of{m_grabbed->owner, m_grabbed->setting};
        move.byValue = times * (m_ground.valueAt(of, e->position().y()) - m_ground.valueAt(of, m_pressed.y()));
        // Another setting has another unit.
        const auto other = [&](const edit::KeyOf& k) { return !(Keyed{k.owner, k.setting} == of); };
        std::copy_if(m_taken.begin(), m_taken.end(), std::back_inserter(still), other);
        std::erase_if(moved, other);
    }
    m_keys.change(
        QObject::tr("Move keys"),
        [&](scene::Scene& scene) {
            auto now = edit::moveKeys(scene, moved, move);
            now.insert(now.end(), still.begin(), still.end());
            return now;
        },
        m_gesture);
}

void KeyHand::dragSlope(const QPointF& p, bool alone) {
    const scene::KeyAt* k = find(*m_grabbed);
    if (!k) return;
    const FrameScale s = m_ground.frames();
    const QPointF here = point(*m_grabbed);
    const int way = m_after ? 1 : -1;
    // A slope never turns back: at least two pixels on.
    const double on = std::max(2.0, way * (p.x() - here.x())), up = way * (here.y() - p.y());
    const double perSecond = s.x(m_document.scene().shot().fps) - s.x(0);
    const double slope = up / on * perSecond / m_ground.pixels({m_grabbed->owner, m_grabbed->setting});
    const bool both = !alone && std::abs(k->before - k->after) < 1e-9 * (1 + std::abs(k->after));
    const double before = m_after && !both ? k->before : slope, after = !m_after && !both ? k->after : slope;
    m_keys.change(
        QObject::tr("Slope of a key"),
        [&](scene::Scene& scene) {
            edit::slopeKey(scene, *m_grabbed, before, after);
            return m_keys.keys();
        },
        m_gesture);
}

void KeyHand::move(QMouseEvent* e) {
    m_now = e->position();
    switch (m_drag) {
        case Drag::None:
            m_widget.setCursor(under(m_now) || slopeUnder(m_now) ? Qt::SizeAllCursor : Qt::ArrowCursor);
            break;
        case Drag::Keys:
            dragKeys(e);
            break;
        case Drag::Slope:
            dragSlope(e->position(), e->modifiers() & Qt::AltModifier);
            break;
        case Drag::Box:
            m_widget.update();
            break;
    }
}

void KeyHand::release(QMouseEvent* e) {
    // A click on one of many that does not drag them means that one.
    if (m_drag == Drag::Keys && !m_across && !m_adds && m_grabbed) m_keys.set({*m_grabbed});
    if (m_drag == Drag::Box) {
        const QRectF box = QRectF(m_pressed, e->position()).normalized();
        constexpr double kClick = 4;
        if (box.width() < kClick && box.height() < kClick) {
            // A click beside keys: the play-head goes there, and nothing is selected.
            m_session.setFrame(m_ground.frames().frame(e->position().x() - m_ground.left()));
            if (!m_adds) m_keys.set({});
        } else {
            std::vector<edit::KeyOf> inside = in(box);
            if (m_adds)
                for (const edit::KeyOf& k : m_keys.keys())
                    if (std::find(inside.begin(), inside.end(), k) == inside.end()) inside.push_back(k);
            m_keys.set(std::move(inside));
        }
    }
    m_drag = Drag::None;
    m_widget.update();
}

void KeyHand::doubleClick(QMouseEvent* e) {
    const auto of = m_ground.curveUnder(e->position());
    if (!of || under(e->position())) return;
    const int frame = m_ground.frames().frame(e->position().x() - m_ground.left());
    m_session.setFrame(frame);
    const scene::SettingSpec* spec = findRow(layers::tableOf(m_document.scene(), of->owner), of->setting);
    m_keys.change(QObject::tr("Key %1").arg(spec ? qs(spec->label) : QString()), [&](scene::Scene& s) {
        edit::toggleKey(s, of->owner, of->setting, frame);
        return std::vector<edit::KeyOf>{{of->owner, of->setting, s.shot().timeOf(frame)}};
    });
}

bool KeyHand::wants(const QKeyEvent* e) const {
    if (e->matches(QKeySequence::Paste)) return m_keys.canPaste();
    if (m_keys.keys().empty()) return false;
    const bool plain = e->modifiers() == Qt::NoModifier || e->modifiers() == Qt::KeypadModifier;
    return (plain && (e->key() == Qt::Key_Delete || e->key() == Qt::Key_Left || e->key() == Qt::Key_Right)) ||
           e->matches(QKeySequence::Copy);
}

bool KeyHand::key(QKeyEvent* e) {
    if (!wants(e)) return false;
    if (e->matches(QKeySequence::Paste)) {
        m_keys.paste(m_session.frame());
    } else if (e->matches(QKeySequence::Copy)) {
        m_keys.copy();
    } else if (e->key() == Qt::Key_Delete) {
        m_keys.remove();
    } else {
        const double by = (e->key() == Qt::Key_Left ? -1 : 1) / m_document.scene().shot().fps;
        m_keys.change(QObject::tr("Move keys"), [&](scene::Scene& s) { return edit::moveKeys(s, m_keys.keys(), {.by = by}); });
    }
    return true;
}

}  // namespace nutatio::app
