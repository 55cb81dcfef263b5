// A layer's chains or joints one by one: what each is set to apart from the rest, and splitting them.
#pragma once

#include <QComboBox>
#include <QVBoxLayout>
#include <QWidget>

#include "app/document/document.h"
#include "app/widgets/setting_row.h"

namespace nutatio::app {

class ApartPanel : public QWidget {
    Q_OBJECT
  public:
    ApartPanel(Document& document, std::string layer, QWidget* parent = nullptr);
    /// As the scene has it now.
    void refresh();
    /// Whether a layer has several things that could be set apart.
    static bool suits(const scene::Scene& scene, const scene::Owner& owner);

  Q_SIGNALS:
    void commandWanted(const QString& id);
    void hovered(const QString& help);

  private:
    void showRow();
    std::string chain() const;
    std::string setting() const;
    void set(std::optional<double> value, const QString& gesture);

    Document& m_document;
    std::string m_layer;
    QVBoxLayout *m_layout, *m_list;
    QComboBox *m_chain, *m_setting;
    SettingRow* m_row = nullptr;
};

}  // namespace nutatio::app
