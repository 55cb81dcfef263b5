// The keys that are selected on the tape: one selection for all its rows.
#pragma once

#include <QObject>
#include <vector>

#include "app/document/document.h"
#include "edit/keys.h"

namespace nutatio::app {

class KeySelection : public QObject {
    Q_OBJECT
  public:
    explicit KeySelection(Document& document, QObject* parent = nullptr);

    const std::vector<edit::KeyOf>& keys() const { return m_keys; }
    bool has(const edit::KeyOf& key) const;
    void set(std::vector<edit::KeyOf> keys);
    /// In, or out where it is in.
    void toggle(const edit::KeyOf& key);
    /// Keys land on whole frames.
    bool snaps() const { return m_snaps; }
    void setSnaps(bool on);

    /// Carries out a change of the shot's keys as it stood at the beginning of a gesture, so that a drag can be taken back by
    /// dragging back; what it returns is selected.
    using Change = std::function<std::vector<edit::KeyOf>(scene::Scene&)>;
    void change(const QString& name, const Change& how, const QString& gesture = {});
    void remove();
    void ease(scene::Ease ease);
    void copy();
    /// At the play-head. A sentence where nothing can be put down.
    QString paste(int frame);
    /// The last frame of each setting that has a selected key gets the value of its first.
    void close();
    bool canPaste() const { return !m_copied.keys.empty(); }

  Q_SIGNALS:
    void changed();

  private:
    void forgetWhatIsGone();
    Document& m_document;
    std::vector<edit::KeyOf> m_keys;
    edit::CopiedKeys m_copied;
    std::map<scene::Owner, scene::KeysOf> m_before;  // at the beginning of the gesture
    QString m_gesture;
    bool m_snaps = true;
};

}  // namespace nutatio::app
