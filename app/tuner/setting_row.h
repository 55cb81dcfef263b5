// One row of the Tuner, made from a row of a settings table.
#pragma once

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>

#include "app/tuner/profile_edit.h"
#include "app/tuner/slider.h"

namespace nutatio::app {

/// Shows one setting and says when a person changes it. Shares are shown in percent; everything else as stored.
class SettingRow : public QWidget {
    Q_OBJECT
  public:
    /// `toggles`: leave room for the key and profile buttons even where this setting has none, so that rows line up.
    explicit SettingRow(const scene::SettingSpec& spec, bool toggles = true, QWidget* parent = nullptr);
    const scene::SettingSpec& spec() const { return m_spec; }
    void show(const scene::Value& value);
    /// Whether the setting has keys, and one at this very frame.
    enum class Keyed { No, Between, Here };
    void showKeys(Keyed keyed);
    void showProfile(const scene::Profile& profile);
    /// The colliders there are: id and name.
    void offer(const std::vector<std::pair<std::string, std::string>>& colliders);
    QToolButton* keyButton() const { return m_key; }
    QToolButton* profileButton() const { return m_profileToggle; }
    ProfileEdit* profileEdit() const { return m_profile; }
    QComboBox* choice() const { return m_choice; }
    QLineEdit* field() const { return m_field; }
    Slider* slider() const { return m_slider; }

  Q_SIGNALS:
    void changed(const scene::Value& value, const QString& gesture);
    void hovered(const QString& help);
    /// The person wants the stage's selection put here.
    void selectionWanted();
    /// The person wants a key set here, or the one here taken away.
    void keyWanted();
    void profileChanged(const scene::Profile& profile, const QString& gesture);

  protected:
    void enterEvent(QEnterEvent*) override;
    void leaveEvent(QEvent*) override;
    bool eventFilter(QObject* o, QEvent* e) override;

  private:
    void buildNumber(QHBoxLayout* row);
    void buildAxes(QHBoxLayout* top);
    void buildJoints(QHBoxLayout* top);
    void buildChoice(QHBoxLayout* top);
    void buildColliders(QHBoxLayout* top);
    void typed();

    const scene::SettingSpec m_spec;
    const bool m_toggles;
    double m_shown = 1;  // shown = stored x this
    QLabel* m_label;
    QLineEdit* m_field = nullptr;
    Slider* m_slider = nullptr;
    QToolButton *m_key = nullptr, *m_profileToggle = nullptr;
    ProfileEdit* m_profile = nullptr;
    QComboBox* m_choice = nullptr;
    std::vector<std::pair<std::string, std::string>> m_colliders;
    QToolButton* m_axes[3] = {nullptr, nullptr, nullptr};
    scene::Value m_value;
};

}  // namespace nutatio::app
