#include "app/panels/ExportCard.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "base/Units.h"
#include "document/Edits.h"

#include <QCheckBox>
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
      m_packing(new QComboBox),
      m_pivot(new QComboBox),
      m_up(new QComboBox),
      m_unit(new QComboBox),
      m_oneFile(new QCheckBox(tr("all levels in one file (MSFT_lod)"))),
      m_order(new QCheckBox(tr("triangles in the order that cards like"))),
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
    m_packing->addItems({tr("plain numbers"), tr("quantised"), tr("compressed (Draco)")});
    m_packing->setToolTip(
        tr("Quantised numbers are read as they are (KHR_mesh_quantization); compressed ones have to be "
           "unpacked (KHR_draco_mesh_compression)"));
    m_pivot->addItems({tr("where it is"), tr("on the ground"), tr("in the centre")});
    m_up->addItems({tr("y up"), tr("z up")});
    m_unit->addItems({tr("its unit"), "mm", "cm", "m", "in", "ft"});
    m_order->setChecked(true);
    auto* form = new QHBoxLayout;
    form->setSpacing(6);
    form->addWidget(m_format);
    form->addWidget(m_packing, 1);
    auto* standing = new QHBoxLayout;
    standing->setSpacing(6);
    for (QComboBox* box : {m_pivot, m_up, m_unit}) standing->addWidget(box, 1);
    m_preview->setWordWrap(true);
    keepNarrow(*m_which);
    auto* choose = new QPushButton(tr("Choose …"));
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("quiet");
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(7);
    grid->setColumnStretch(1, 1);
    const std::pair<QString, QWidget*> rows[] = {
        {tr("Levels"), m_which}, {tr("Folder"), m_folder}, {tr("File names"), m_pattern}};
    int row = 0;
    for (const auto& [name, widget] : rows) {
        grid->addWidget(makeQuietLabel(name), row, 0);
        grid->addWidget(widget, row, 1, 1, widget == m_folder ? 1 : 2);
        ++row;
    }
    grid->addWidget(choose, 1, 2);
    grid->addWidget(makeQuietLabel(tr("Format")), row, 0);
    grid->addLayout(form, row, 1, 1, 2);
    grid->addWidget(makeQuietLabel(tr("Stands")), row + 1, 0);
    grid->addLayout(standing, row + 1, 1, 1, 2);
    grid->addWidget(m_oneFile, row + 2, 1, 1, 2);
    grid->addWidget(m_order, row + 3, 1, 1, 2);
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
    for (QComboBox* box : {m_which, m_format, m_packing, m_pivot, m_up, m_unit})
        connect(box, &QComboBox::currentIndexChanged, this, &ExportCard::preview);
    connect(m_oneFile, &QCheckBox::toggled, this, &ExportCard::preview);
    connect(&m_job, &Job::started, this, [this] { m_write->setEnabled(false); });
    connect(&m_job, &Job::ended, this, [this] { m_write->setEnabled(true); });
    connect(&m_job, &Job::failed, this, [this](const QString& sentence) {
        m_preview->setText(breakable(sentence));
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
    m_up->setCurrentIndex(int(document.sourceUp));  // so that levels lie where their source does
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

DeliverySettings ExportCard::settings() const {
    DeliverySettings settings;
    settings.format = m_format->currentText().toStdString();
    settings.pattern = m_pattern->text().toStdString();
    settings.oneFile = m_oneFile->isEnabled() && m_oneFile->isChecked();
    settings.drawOrder = m_order->isChecked();
    if (m_packing->isEnabled()) settings.packing = GltfPacking(m_packing->currentIndex());
    settings.placement.pivot = Pivot(m_pivot->currentIndex());
    if (m_up->isEnabled()) settings.placement.up = UpAxis(m_up->currentIndex());
    if (m_unit->isEnabled() && m_unit->currentIndex() > 0)
        settings.placement.metresPerUnit = *metresPerUnitOf(m_unit->currentText().toStdString());
    return settings;
}

Delivery ExportCard::delivery() const {
    Delivery delivery;
    delivery.name = m_document.name;
    delivery.sourceTriangles = m_document.source ? m_document.source->triangleCount() : 0;
    delivery.recipe = recipeOf(m_document);
    for (std::size_t i = 0; i < m_document.levels.size(); ++i)
        if (m_which->currentIndex() <= 0 || std::size_t(m_which->currentIndex()) == i + 1)
            delivery.chain.levels.push_back(m_document.levels[i]);
    return delivery;
}

void ExportCard::preview() {
    // What a format cannot have is not asked for.
    const bool isGltf = m_format->currentIndex() < 2;
    m_packing->setEnabled(isGltf);
    m_oneFile->setEnabled(isGltf && m_which->currentIndex() == 0);
    m_pattern->setEnabled(!(m_oneFile->isEnabled() && m_oneFile->isChecked()));
    for (QComboBox* box : {m_up, m_unit}) box->setEnabled(!isGltf);
    QString text;
    bool fine = true;
    try {
        const Delivery wanted = delivery();
        const auto told = [&](const std::filesystem::path& file) {
            constexpr int widest = 280;
            return m_preview->fontMetrics().elidedText(QString::fromStdString(file.string()), Qt::ElideMiddle, widest);
        };
        QStringList names;
        for (const std::filesystem::path& file : deliveryNames(wanted, settings())) names += told(file);
        names.removeDuplicates();
        text = tr("Writes %1 and %2").arg(names.join(", "), told(manifestName(wanted.name)));
        fine = !wanted.chain.levels.empty();
        if (!fine) text = tr("There are no levels yet: reduce, and keep the result.");
    } catch (const InputError& error) {
        text = QString::fromUtf8(error.what());
        fine = false;
    }
    m_preview->setText(breakable(text));
    m_preview->setObjectName(fine ? "soft" : "bad");
    m_preview->style()->polish(m_preview);
    m_write->setEnabled(fine && !m_job.isRunning());
    adjustSize();
}

void ExportCard::write() {
    if (!m_write->isEnabled()) return;
    QSettings remembered;
    remembered.setValue("exportFolder", m_folder->text());
    remembered.setValue("exportPattern", m_pattern->text());
    m_job.start([this, wanted = delivery(), source = m_document.source, chosen = settings(),
                 folder = m_folder->text()](const Progress& progress) mutable -> Job::Delivery {
        wanted.chain.size = sizeOf(*source, progress.span(0, 0.1));
        std::vector<LevelCost> costs;
        for (const Level& level : wanted.chain.levels) costs.push_back(costOf(level));
        wanted.chain.band = bandOf(costs, wanted.chain.size, wanted.recipe.screen, wanted.recipe.switching);
        const Delivered delivered = deliver(wanted, folder.toStdString(), chosen, progress.span(0.1, 1));
        QString said =
            tr("%n file(s) and the manifest written to %1", nullptr, int(delivered.files.size())).arg(folder);
        said += tr(": %1 MB").arg(QString::fromStdString(formatNumber(delivered.bytes() / 1e6)));
        if (delivered.plainBytes() > delivered.bytes())
            said += tr(" instead of %1 MB").arg(QString::fromStdString(formatNumber(delivered.plainBytes() / 1e6)));
        return [this, said] {
            hide();
            emit exported(said + ".");
        };
    });
}

}  // namespace um::app
