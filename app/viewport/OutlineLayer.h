#pragma once
/// Over the viewport's picture: where the level's outline has lost area against its source, and where it has grown.
#include <QImage>
#include <QWidget>

namespace um::app {

class OutlineLayer : public QWidget {
    Q_OBJECT

public:
    explicit OutlineLayer(QWidget* parent);

    /// In device pixels; an empty one shows nothing but the key to the colours.
    void setPicture(const QImage& picture);
    /// How far above the lower edge the key to the colours stands.
    void setKeyHeight(int fromBottom);
    const QImage& picture() const { return m_picture; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QImage m_picture;
    int m_fromBottom = 0;
};

}  // namespace um::app
