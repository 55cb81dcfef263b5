// One row of the Tuner, made from a row of a settings table.
#pragma once

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>

#include "app/widgets/profile_edit.h"
#include "app/widgets/slider.h"

namespace nutatio::app {

/// Shows one setting and says when a person changes it. Shares are shown in percent; everything else as stored.
class SettingRow : public QWidget {
    Q_OBJECT
  public:
    explicit SettingRow(const scene::SettingSpec& spec, QWidget* parent = nullptr);
    const scene::SettingSpec& spec() const { return m_spec; }
    void show(const scene::Value& value);
    /// Whether the setting has keys, and one at this very frame.
    enum class Keyed { No, Between, Here, Rest };  // Rest: its keys are kept and do nothing
    void showKeys(Keyed keyed);
    void showProfile(const scene::Profile& profile);
    /// Whether the setting follows a gauge: then it is shown, and not set by hand.
    void showFed(bool fed);
    /// What a Region, a Clip or a Colliders may be.
    void setNames(const QStringList& names);
    /// A few soft words beside the label.
    void setNote(const QString& note);
    QToolButton* keyButton() const { return m_key; }
    QToolButton* profileButton() const { return m_profileToggle; }
    QToolButton* feedButton() const { return m_feedToggle; }
    ProfileEdit* profileEdit() const { return m_profile; }
    QComboBox* choice() const { return m_choice; }
    QLineEdit* field() const { return m_field; }
    Slider* slider() const { return m_slider; }

  Q_SIGNALS:
    /// A drag begins: what `changed` will say has this gesture.
    void grabbed(const QString& gesture);
    void changed(const scene::Value& value, const QString& gesture);
    void hovered(const QString& help);
    /// The person wants the stage's selection put here.
    void selectionWanted();
    /// The person wants a key set here, or the one here taken away.
    void keyWanted();
    /// The person wants to see, or to hide, how it follows a gauge.
    void feedWanted();
    void profileChanged(const scene::Profile& profile, const QString& gesture);

  protected:
    void enterEvent(QEnterEvent*) override;
    void leaveEvent(QEvent*) override;
    void changeEvent(QEvent* e) override;
    bool eventFilter(QObject* o, QEvent* e) override;

  private:
    void buildNumber(QHBoxLayout* row);
    bool dragNumber(QEvent* e);
    void drawToggles();
    void buildAxes(QHBoxLayout* top);
    void buildJoints(QHBoxLayout* top);
    void buildChoice(QHBoxLayout* top);
    void typed();

    const scene::SettingSpec m_spec;
    double m_shown = 1;  // shown = stored x this
    QLabel *m_label, *m_note = nullptr;
    QLineEdit* m_field = nullptr;
    Slider* m_slider = nullptr;
    QToolButton *m_key = nullptr, *m_profileToggle = nullptr, *m_feedToggle = nullptr;
    ProfileEdit* m_profile = nullptr;
    QComboBox* m_choice = nullptr;
    QToolButton* m_axes[3] = {nullptr, nullptr, nullptr};
    scene::Value m_value;
    Keyed m_keyed = Keyed::No;
    bool m_fed = false;
    QString m_gesture;  // of a drag on the number
    double m_pressed = 0, m_last = 0;
    bool m_pulls = false;
};

}  // namespace nutatio::app
