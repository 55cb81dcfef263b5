// A page of the Tuner: the settings of one thing, row by row from its table.
#pragma once

#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <deque>
#include <map>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/tuner/feels_shelf.h"
#include "app/widgets/held_frame.h"
#include "app/widgets/setting_row.h"

namespace nutatio::app {

class ApartPanel;
class FeedPanel;
class GaugePanel;
class MeetsTable;
class HandPanel;

class TunedPage : public QWidget {
    Q_OBJECT
  public:
    /// `folds` outlives the page: which groups of rows a person opened or folded. `feels`: put under a layer's own heading.
    TunedPage(Document& document, Session& session, scene::Owner owner, QMap<QString, bool>& folds, FeelsShelf* feels,
              QWidget* parent = nullptr);
    const scene::Owner& owner() const { return m_owner; }
    SettingRow* row(const std::string& setting) const;
    /// How a setting follows a gauge, while that is shown; else null.
    FeedPanel* feedPanel(const std::string& setting) const;
    GaugePanel* gaugePanel() const { return m_gauge; }
    /// The first row that can be keyed.
    SettingRow* firstKeyable() const;
    void refresh();
    void setOpen(const QString& group, bool open);
    /// Opens the group that a setting stands in.
    void unfold(const std::string& setting);
    /// References of the joints last selected, for rows that take them.
    void setLastJoints(std::vector<std::string> joints, std::string actor) {
        m_lastJoints = std::move(joints);
        m_lastActor = std::move(actor);
    }

  Q_SIGNALS:
    void hovered(const QString& help);
    void commandWanted(const QString& id);
    void said(const QString& sentence);

  private:
    void toggleFeed(SettingRow* row);
    void addRow(const scene::SettingSpec& spec);
    void addLayerHead(const scene::Layer& layer);
    void addRows(const scene::Layer* layer);
    void addPanels(const scene::Layer* layer);
    void addFoot();
    void addPart(const HandJoint& part);
    void addSeal(const scene::Shot& shot);
    void offerHold(const layers::LayerKind& kind, const scene::Layer& layer);
    void addChannels(const HandJoint& hand);
    void beginGroup(const QString& name, bool folded = false);
    void addText(const QString& text);
    void addButtons(std::initializer_list<std::pair<QString, QString>> commands);
    void addChips();
    void change(const QString& name, const std::function<void(scene::Scene&)>& how, const QString& gesture = {});
    QString what() const;

    Document& m_document;
    Session& m_session;
    scene::Owner m_owner;
    QMap<QString, bool>& m_folds;
    HeldFrame m_held;
    QVBoxLayout *m_all, *m_rows;
    QMap<QString, QToolButton*> m_groups;
    std::map<std::string, SettingRow*> m_byId;
    std::vector<SettingRow*> m_order;
    std::map<std::string, QToolButton*> m_chips;  // of a wind: by layer
    FeelsShelf* m_feels;
    ApartPanel* m_apart = nullptr;
    MeetsTable* m_meets = nullptr;
    GaugePanel* m_gauge = nullptr;
    HandPanel* m_hand = nullptr;
    std::deque<std::string> m_channels;              // ids that rows borrow
    std::map<std::string, FeedPanel*> m_feedPanels;  // that were opened, by setting
    std::vector<std::string> m_lastJoints;
    std::string m_lastActor;
};

}  // namespace nutatio::app
