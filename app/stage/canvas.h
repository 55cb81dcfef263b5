// What is drawn by OpenGL within a window.
#pragma once

#include <QImage>
#include <QWidget>
#include <memory>

namespace nutatio::app {

/// Where a graphics card draws, a layer of the window that the card composes. Where a processor does, a picture that is read back
/// and painted as any other: composing the whole window for each change in it would cost more than the drawing.
class Canvas : public QWidget {
    Q_OBJECT
  public:
    explicit Canvas(QWidget* parent);
    ~Canvas() override;

    /// Draws all of it anew, soon.
    void redraw();
    /// Draws it now, as it is on show next.
    QImage picture();

  Q_SIGNALS:
    /// It is on the screen as it was drawn last.
    void drawn();

  protected:
    /// With the context current: makes what drawing needs. Again where the context is another one.
    virtual void prepare() = 0;
    /// Draws into target(); returns what was drawn [pixels of the device], nothing for all of it. The rest is as it was, where
    /// a part was asked for.
    virtual QRect draw() = 0;
    /// Words over it [pixels of the widget].
    virtual void write(QPainter& p) = 0;
    /// Its size is another one, and nothing of the last drawing is left.
    virtual void resized() {}
    /// Draws a part anew [pixels of the widget], which draw() knows of.
    void redraw(const QRectF& part);

    QSize deviceSize() const;
    unsigned target() const;
    /// Carries out what needs the context.
    template <class Work>
    void withContext(const Work& work) {
        if (!enter()) return;
        work();
        leave();
    }
    void paintEvent(QPaintEvent* e) override;
    void resizeEvent(QResizeEvent* e) override;

  private:
    class Composed;
    class ReadBack;
    bool enter();
    void leave();

    Composed* m_composed = nullptr;  // by a card
    std::unique_ptr<ReadBack> m_readBack;
};

}  // namespace nutatio::app
