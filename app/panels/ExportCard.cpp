#include "app/panels/ExportCard.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "files/MeshFile.h"
#include "files/NamePattern.h"

#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QGridLayout>
#include <QSettings>
#include <QStyle>
#include <QVBoxLayout>

namespace um::app {

ExportCard::ExportCard(QWidget* parent)
    : QWidget(parent),
      m_which(new QComboBox),
      m_folder(new QLineEdit),
      m_pattern(new QLineEdit),
      m_format(new QComboBox),
      m_preview(makeQuietLabel()),
      m_write(new QPushButton(tr("Export"))) {
    setObjectName("card");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(440);
    m_write->setObjectName("primary");
    m_folder->setObjectName("exportFolder");
    m_pattern->setObjectName("exportPattern");
    m_pattern->setToolTip(tr("{name} is the document, {level} the level's name, {n} its number; / makes subfolders"));
    m_format->addItems({"glb", "gltf", "obj", "ply", "stl"});
    m_preview->setWordWrap(true);
    auto* choose = new QPushButton(tr("Choose …"));
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("quiet");
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(7);
    grid->setColumnStretch(1, 1);
    const std::pair<QString, QWidget*> rows[] = {
        {tr("Levels"), m_which}, {tr("Folder"), m_folder}, {tr("File names"), m_pattern}, {tr("Format"), m_format}};
    int row = 0;
    for (const auto& [name, widget] : rows) {
        grid->addWidget(makeQuietLabel(name), row, 0);
        grid->addWidget(widget, row, 1, 1, widget == m_folder ? 1 : 2);
        ++row;
    }
    grid->addWidget(choose, 1, 2);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(close);
    buttons->addStretch();
    buttons->addWidget(m_write);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 16, 14);
    column->setSpacing(9);
    column->addWidget(makeHeading(tr("EXPORT")));
    column->addLayout(grid);
    column->addWidget(m_preview);
    column->addWidget(new JobStrip(m_job, tr("Writing")));
    column->addLayout(buttons);
    hide();
    connect(choose, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(window(), tr("Export into"), m_folder->text());
        if (!folder.isEmpty()) m_folder->setText(folder);
    });
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
    connect(m_write, &QPushButton::clicked, this, &ExportCard::write);
    connect(m_pattern, &QLineEdit::returnPressed, this, &ExportCard::write);
    for (QLineEdit* field : {m_folder, m_pattern}) connect(field, &QLineEdit::textChanged, this, &ExportCard::preview);
    for (QComboBox* box : {m_which, m_format})
        connect(box, &QComboBox::currentIndexChanged, this, &ExportCard::preview);
    connect(&m_job, &Job::started, this, [this] { m_write->setEnabled(false); });
    connect(&m_job, &Job::ended, this, [this] { m_write->setEnabled(true); });
    connect(&m_job, &Job::failed, this, [this](const QString& sentence) {
        m_preview->setText(sentence);
        m_preview->setObjectName("bad");
        m_preview->style()->polish(m_preview);
    });
}

void ExportCard::open(const Document& document, int level) {
    m_document = document;
    m_which->clear();
    m_which->addItem(tr("all levels"));
    for (const Level& one : document.levels) m_which->addItem(QString::fromStdString(one.name));
    m_which->setCurrentIndex(level + 1);
    const QSettings settings;
    if (m_folder->text().isEmpty()) {
        const std::filesystem::path beside =
            document.path.empty() ? document.sourceFile.parent_path() : document.path.parent_path();
        m_folder->setText(settings.value("exportFolder", QString::fromStdString(beside.string())).toString());
    }
    if (m_pattern->text().isEmpty()) m_pattern->setText(settings.value("exportPattern", "{name}_lod{n}").toString());
    preview();
    adjustSize();
    show();
    raise();
    m_pattern->setFocus();
}

std::vector<ExportCard::Piece> ExportCard::pieces() const {
    std::vector<Piece> result;
    for (std::size_t i = 0; i < m_document.levels.size(); ++i) {
        if (m_which->currentIndex() > 0 && std::size_t(m_which->currentIndex()) != i + 1) continue;
        const Level& level = m_document.levels[i];
        const std::string name = fillPattern(m_pattern->text().toStdString(), m_document.name, level.name, i);
        result.push_back({level.mesh, std::filesystem::path(m_folder->text().toStdString()) /
                                          (name + "." + m_format->currentText().toStdString())});
    }
    for (std::size_t i = 0; i < result.size(); ++i)
        for (std::size_t j = i + 1; j < result.size(); ++j)
            if (result[i].file == result[j].file)
                throw InputError(
                    "The levels would all be written to one file: put {n} or {level} into the file names.");
    return result;
}

void ExportCard::preview() {
    QString text;
    bool fine = true;
    try {
        QStringList names;
        for (const Piece& piece : pieces()) names += QString::fromStdString(piece.file.filename().string());
        text = tr("Writes %1").arg(names.join(", "));
        if (names.isEmpty()) text = tr("There are no levels yet: reduce, and keep the result.");
        fine = !names.isEmpty();
    } catch (const InputError& error) {
        text = QString::fromUtf8(error.what());
        fine = false;
    }
    m_preview->setText(text);
    m_preview->setObjectName(fine ? "soft" : "bad");
    m_preview->style()->polish(m_preview);
    m_write->setEnabled(fine && !m_job.isRunning());
    adjustSize();
}

void ExportCard::write() {
    if (!m_write->isEnabled()) return;
    const std::vector<Piece> wanted = pieces();
    QSettings settings;
    settings.setValue("exportFolder", m_folder->text());
    settings.setValue("exportPattern", m_pattern->text());
    m_job.start([this, wanted](const Progress& progress) -> Job::Delivery {
        for (std::size_t i = 0; i < wanted.size(); ++i) {
            std::error_code problem;
            std::filesystem::create_directories(wanted[i].file.parent_path(), problem);
            writeMesh(*wanted[i].mesh, wanted[i].file,
                      progress.span(double(i) / double(wanted.size()), double(i + 1) / double(wanted.size())));
        }
        return [this, wanted] {
            hide();
            emit exported(tr("%n file(s) written to %1.", nullptr, int(wanted.size()))
                              .arg(QString::fromStdString(wanted.front().file.parent_path().string())));
        };
    });
}

}  // namespace um::app
