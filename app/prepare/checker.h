// Runs the check of rigs and clips beside the interface, again when an actor changed.
#pragma once

#include <QObject>
#include <vector>

#include "app/document/document.h"
#include "measure/check.h"
#include "measure/stiff.h"

namespace nutatio::app {

class Checker : public QObject {
    Q_OBJECT
  public:
    explicit Checker(Document& document, QObject* parent = nullptr);
    /// While somebody looks at it, the check follows the scene.
    void setWatched(bool on);
    const std::vector<measure::Finding>& findings() const { return m_findings; }
    /// What does not move yet.
    const std::vector<measure::Stiff>& stiff() const { return m_stiff; }
    /// Of the scene as it stands.
    bool upToDate() const { return m_checked == m_wanted; }

  Q_SIGNALS:
    void changed();
    void failed(const QString& sentence);

  private:
    void ask();
    /// What a check depends on.
    static std::string stateOf(const scene::Scene& scene);
    /// And what else decides on what is stiff.
    static std::string layersOf(const scene::Scene& scene);

    Document& m_document;
    std::vector<measure::Finding> m_findings;
    std::vector<measure::Stiff> m_stiff;
    std::string m_wanted, m_checked;
    std::string m_stiffOf;  // the state of layers that is of
    bool m_watched = false;
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
