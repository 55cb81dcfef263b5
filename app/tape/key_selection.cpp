#include "app/tape/key_selection.h"

#include <algorithm>
#include <set>

namespace nutatio::app {

namespace {

bool same(const edit::KeyOf& a, const edit::KeyOf& b) {
    return a.owner == b.owner && a.setting == b.setting && std::abs(a.at - b.at) < scene::kSameMoment;
}

}  // namespace

KeySelection::KeySelection(Document& document, QObject* parent) : QObject(parent), m_document(document) {
    connect(&document, &Document::sceneChanged, this, &KeySelection::forgetWhatIsGone);
}

bool KeySelection::has(const edit::KeyOf& key) const {
    return std::any_of(m_keys.begin(), m_keys.end(), [&](const edit::KeyOf& k) { return same(k, key); });
}

void KeySelection::set(std::vector<edit::KeyOf> keys) {
    if (keys == m_keys) return;
    m_keys = std::move(keys);
    Q_EMIT changed();
}

void KeySelection::toggle(const edit::KeyOf& key) {
    const auto at = std::find_if(m_keys.begin(), m_keys.end(), [&](const edit::KeyOf& k) { return same(k, key); });
    if (at == m_keys.end())
        m_keys.push_back(key);
    else
        m_keys.erase(at);
    Q_EMIT changed();
}

void KeySelection::setSnaps(bool on) {
    m_snaps = on;
    Q_EMIT changed();
}

void KeySelection::change(const QString& name, const Change& how, const QString& gesture) {
    if (gesture.isEmpty() || gesture != m_gesture) m_before = m_document.scene().shot().keys;
    m_gesture = gesture;
    std::vector<edit::KeyOf> now;
    m_document.edit(
        name,
        [&](scene::Scene& s) {
            if (!gesture.isEmpty()) s.editShot().keys = m_before;
            now = how(s);
        },
        gesture);
    set(std::move(now));
}

void KeySelection::remove() {
    if (m_keys.empty()) return;
    change(tr("Remove keys"), [this](scene::Scene& s) {
        edit::removeKeys(s, m_keys);
        return std::vector<edit::KeyOf>{};
    });
}

void KeySelection::ease(scene::Ease ease) {
    if (m_keys.empty()) return;
    change(tr("Ease keys"), [&](scene::Scene& s) {
        edit::easeKeys(s, m_keys, ease);
        return m_keys;
    });
}

void KeySelection::copy() {
    m_copied = edit::copyKeys(m_document.scene(), m_keys);
    Q_EMIT changed();
}

QString KeySelection::paste(int frame) {
    scene::Scene next = m_document.scene();
    auto put = edit::pasteKeys(next, m_copied, next.shot().timeOf(frame));
    if (!put) return QString::fromStdString(put.error().sentence);
    change(tr("Paste keys"), [&](scene::Scene& s) {
        s = next;
        return put.value();
    });
    return {};
}

void KeySelection::close() {
    std::set<std::pair<scene::Owner, std::string>> of;
    for (const edit::KeyOf& k : m_keys) of.insert({k.owner, k.setting});
    if (of.empty()) return;
    change(tr("Same value at first and last frame"), [&](scene::Scene& s) {
        for (const auto& [owner, setting] : of) edit::closeKeys(s, owner, setting);
        return m_keys;
    });
}

void KeySelection::forgetWhatIsGone() {
    const scene::Shot& shot = m_document.scene().shot();
    std::vector<edit::KeyOf> left;
    for (const edit::KeyOf& k : m_keys)
        if (const scene::Keys* keys = shot.keysOf(k.owner, k.setting); keys && scene::keyAt(*keys, k.at) != keys->end())
            left.push_back(k);
    set(std::move(left));
}

}  // namespace nutatio::app
