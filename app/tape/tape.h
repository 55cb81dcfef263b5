// Stack and Tape: a lane a layer with its traces and curves, the ruler, and the transport.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <map>
#include <set>
#include <vector>

#include "app/tape/key_bar.h"
#include "app/tape/key_sheet.h"
#include "app/tape/lane.h"
#include "app/tape/ruler.h"
#include "app/tape/trial_strip.h"

namespace nutatio::app {

class Tape : public QWidget {
    Q_OBJECT
  public:
    Tape(Document& document, Session& session, QWidget* parent = nullptr);
    Ruler* ruler() const { return m_ruler; }
    Lane* lane(const std::string& layer) const;
    /// The curves below a lane; null while they are closed.
    KeySheet* sheet(const std::string& layer) const;
    /// The curves of an item that has any; null where it has none, or they are folded.
    KeySheet* itemSheet(const scene::Owner& item) const;
    QToolButton* itemHead(const scene::Owner& item) const;
    /// Opens or closes the curves below a lane.
    void open(const std::string& layer, bool on);
    TrialStrip* trials() const { return m_trials; }
    TimeView& view() { return m_view; }
    KeySelection& keys() { return m_keys; }
    KeyBar* keyBar() const { return m_keyBar; }
    /// The head of a group of lanes, by its name; null where there is none.
    QToolButton* groupHead(const std::string& name) const;
    /// After the theme changed.
    void repaintAll() { refresh(); }

  Q_SIGNALS:
    /// Right click on a lane, whose layer is selected by then, or on keys or the ruler.
    void menuWanted(const QPoint& global);
    void keyMenuWanted(const QPoint& global);
    void rulerMenuWanted(const QPoint& global);
    void said(const QString& sentence);

  private:
    void rebuild();
    void addLane(QVBoxLayout* column, const scene::Layer& layer);
    void addItem(QVBoxLayout* column, const scene::Owner& item);
    void addGroupHead(QVBoxLayout* column, const std::string& name, const std::vector<std::string>& layers);
    void refresh(const scene::Change& change);
    void refresh();
    void showShots();
    void showFolds();
    void carry(Lane* lane, int y, bool done);
    QWidget* top();
    QWidget* transport();

    Document& m_document;
    Session& m_session;
    TimeView m_view;
    KeySelection m_keys;
    Ruler* m_ruler;
    TrialStrip* m_trials;
    QScrollArea* m_scroll;
    QWidget* m_insertion;  // where a lane that is carried would stand
    KeyBar* m_keyBar;
    std::vector<Lane*> m_lanes;
    std::map<std::string, KeySheet*> m_sheets;  // by layer
    std::map<std::string, QToolButton*> m_groupHeads;
    std::map<scene::Owner, std::pair<QToolButton*, KeySheet*>> m_items;  // that have curves
    std::set<scene::Owner> m_foldedItems;
    std::map<std::string, int> m_heights;
    std::set<std::string> m_open, m_folded;  // layers, groups
    std::string m_built;
    bool m_anySolo = false;
    QToolButton *m_play = nullptr, *m_loop = nullptr, *m_whole = nullptr, *m_unit = nullptr, *m_speed = nullptr;
    QComboBox* m_clip = nullptr;
    QLineEdit *m_frame = nullptr, *m_fps = nullptr;
    QLabel* m_of = nullptr;
};

}  // namespace nutatio::app
