#include "app/sheet/BakePage.h"

#include "app/panels/FileChoice.h"
#include "app/panels/Widgets.h"
#include "app/theme/NumberText.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "base/Units.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <QCheckBox>
#include <QComboBox>
#include <QFileInfo>
#include <QGridLayout>
#include <QSlider>

namespace um::app {
namespace {

constexpr int tracedRays = 32;

// A step of the slider is a tenth of a doubling.
constexpr double stepsOfDoubling = 10;
constexpr int mostSteps = 30;

constexpr std::size_t mostParts = 24;  // that have rows, unless more are asked for

}  // namespace

BakePage::BakePage(QWidget* parent)
    : QWidget(parent),
      m_sheet(new CommitField),
      m_padding(new CommitField),
      m_sheets(new CommitField),
      m_cage(new CommitField),
      m_bits(new QComboBox),
      m_samples(new QComboBox),
      m_share(new QComboBox),
      m_seeCage(
          makeChip(tr("Show cage"), tr("How far out the source is looked for, around the level; as far inwards, too"))),
      m_brush(
          makeChip(tr("Push cage"), tr("Drag over the model: the cage goes deeper there; with Shift it comes closer"))),
      m_even(new QPushButton(tr("Undo pushes"))),
      m_join(new QCheckBox(tr("one part: a single draw call"))),
      m_apart(new QCheckBox(tr("parts catch only their own detail"))),
      m_occlusion(new QCheckBox(tr("trace occlusion"))),
      m_seams(new QCheckBox(tr("cut along the level's seams, too"))),
      m_keep(new QCheckBox(tr("keep the level's UVs"))),
      m_sources(new QWidget),
      m_sourceRows(new QVBoxLayout(m_sources)),
      m_parts(new QWidget),
      m_partRows(new QGridLayout(m_parts)) {
    for (QComboBox* box : {m_bits, m_samples, m_share}) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(6);
    }
    for (QCheckBox* box : {m_join, m_apart, m_occlusion, m_seams, m_keep}) box->setFont(textFont(-1));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    addFields(*column);
    addCageRow(*column);
    auto* checks = new QVBoxLayout;
    checks->setSpacing(5);
    for (QCheckBox* box : {m_join, m_apart, m_occlusion, m_seams, m_keep}) checks->addWidget(box);
    column->addLayout(checks);
    addSources(*column);
    m_partRows->setContentsMargins(0, 0, 0, 0);
    m_partRows->setVerticalSpacing(4);
    m_partRows->setHorizontalSpacing(8);
    m_partRows->setColumnStretch(0, 1);
    column->addWidget(m_parts);
    connectAll();
}

void BakePage::addFields(QVBoxLayout& column) {
    m_sheet->setObjectName("sheetSize");
    m_padding->setObjectName("sheetPadding");
    m_sheets->setObjectName("sheetCount");
    m_bits->setObjectName("sheetBits");
    m_sheet->setHint(tr("Texels on a side of the sheet"));
    m_padding->setHint(tr("Texels between charts; filled with what is beside them, so that smaller copies stay clean"));
    m_sheets->setHint(tr("At most so many sheets; each is a material, and so a draw call, of its own"));
    m_bits->setToolTip(
        tr("Of each value in the images: 16 show no steps where a surface bends slowly, at twice the memory"));
    for (const int bits : {8, 16}) m_bits->addItem(tr("%1 bits").arg(bits), bits);
    for (const int samples : {1, 4, 16}) m_samples->addItem(tr("%1 samples").arg(samples), samples);
    m_share->addItem(tr("evenly over the surface"), int(SheetShare::Area));
    m_share->addItem(tr("by what is seen"), int(SheetShare::Seen));
    m_share->addItem(tr("as its textures were"), int(SheetShare::Density));
    m_occlusion->setToolTip(tr("How much light from around reaches each place, on top of the source's own occlusion"));
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(6);
    grid->setHorizontalSpacing(5);
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    // "as measured" is the longest that is told, also where the page scrolls.
    grid->setColumnMinimumWidth(1, QFontMetrics(textFont()).horizontalAdvance(tr("as measured")) + 22);
    const auto add = [&](const QString& name, QWidget* field, int row, int place, int wide = 1) {
        grid->addWidget(makeQuietLabel(name), row, place);
        grid->addWidget(field, row, place + 1, 1, wide);
    };
    add(tr("Sheet"), m_sheet, 0, 0);
    add(tr("Padding"), m_padding, 0, 2);
    add(tr("Sheets"), m_sheets, 1, 0);
    add(tr("Images"), m_bits, 1, 2);
    add(tr("Cage"), m_cage, 2, 0);
    add(tr("Texel"), m_samples, 2, 2);
    add(tr("Shared"), m_share, 3, 0, 3);
    column.addLayout(grid);
}

void BakePage::addCageRow(QVBoxLayout& column) {
    m_cage->setObjectName("sheetCage");
    m_even->setObjectName("quiet");
    m_cage->setHint(tr("How deep the source is looked for: as measured, or 2x that, or a length like 5mm"));
    m_even->setToolTip(tr("The cage is as measured again, where it was pushed"));
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    row->addWidget(m_seeCage);
    row->addWidget(m_brush);
    row->addWidget(m_even);
    row->addStretch();
    column.addLayout(row);
}

void BakePage::addSources(QVBoxLayout& column) {
    m_sourceRows->setContentsMargins(0, 0, 0, 0);
    m_sourceRows->setSpacing(2);
    auto* add = new QPushButton(tr("Bake from another mesh, too …"));
    add->setObjectName("quiet");
    add->setToolTip(tr("Detail from another file, in the same place as the source: what is nearest is what shows"));
    connect(add, &QPushButton::clicked, this, [this] {
        const QString path = chooseToOpen(this, tr("Bake from another mesh, too"), readableMeshes());
        if (!path.isEmpty()) change([&](BakeChoice& c) { c.also.push_back(path.toStdString()); });
    });
    column.addWidget(m_sources);
    column.addWidget(add, 0, Qt::AlignLeft);
}

void BakePage::connectAll() {
    connect(m_samples, &QComboBox::activated, this,
            [this] { change([&](BakeChoice& c) { c.samples = m_samples->currentData().toInt(); }); });
    connect(m_bits, &QComboBox::activated, this,
            [this] { change([&](BakeChoice& c) { c.bits = m_bits->currentData().toInt(); }); });
    connect(m_share, &QComboBox::activated, this,
            [this] { change([&](BakeChoice& c) { c.share = SheetShare(m_share->currentData().toInt()); }); });
    const auto whole = [this](CommitField* field, int BakeChoice::*value, int least, int most, const QString& problem) {
        connect(field, &CommitField::committed, this, [this, field, value, least, most, problem](const QString& text) {
            const auto typed = parseNumberWithSuffix(text.toStdString());
            const bool isRight = typed && (typed->suffix.empty() || typed->suffix == "px") && typed->number >= least &&
                                 typed->number <= most && typed->number == std::floor(typed->number);
            if (!isRight) {
                field->showProblem(problem.arg(least).arg(most));
                return;
            }
            change([&](BakeChoice& c) { c.*value = int(typed->number); });
        });
    };
    const QString texels = tr("A whole number of texels from %1 to %2");
    whole(m_sheet, &BakeChoice::sheet, 16, 16384, texels);
    whole(m_padding, &BakeChoice::padding, 0, 256, texels);
    whole(m_sheets, &BakeChoice::sheets, 1, 16, tr("A whole number from %1 to %2"));
    connect(m_cage, &CommitField::committed, this, [this](const QString& text) {
        BakeChoice next = m_choice;
        const QString typed = text.trimmed();
        next.cage = typed == tr("as measured") ? std::string() : typed.toStdString();
        try {
            if (m_mesh) settingsFor(next, *m_mesh, Screen());
        } catch (const InputError& error) {
            m_cage->showProblem(QString::fromUtf8(error.what()));
            return;
        }
        change([&](BakeChoice& c) { c.cage = next.cage; });
    });
    const std::pair<QCheckBox*, bool BakeChoice::*> checks[] = {{m_join, &BakeChoice::joinParts},
                                                                {m_apart, &BakeChoice::partsApart},
                                                                {m_seams, &BakeChoice::alongSeams},
                                                                {m_keep, &BakeChoice::keepUvs}};
    for (const auto& [box, value] : checks)
        connect(box, &QCheckBox::clicked, this,
                [this, value = value](bool on) { change([&](BakeChoice& c) { c.*value = on; }); });
    connect(m_occlusion, &QCheckBox::clicked, this,
            [this](bool on) { change([&](BakeChoice& c) { c.occlusionRays = on ? tracedRays : 0; }); });
    connect(m_seeCage, &QPushButton::toggled, this, [this](bool on) {
        if (!on) m_brush->setChecked(false);
        emit cageWanted();
    });
    connect(m_brush, &QPushButton::toggled, this, [this](bool on) {
        if (on && !m_seeCage->isChecked()) m_seeCage->setChecked(true);
        emit cageWanted();
    });
    connect(m_even, &QPushButton::clicked, this, [this] { change([](BakeChoice& c) { c.pushes.clear(); }); });
}

bool BakePage::showsCage() const {
    return m_seeCage->isChecked();
}

bool BakePage::brushes() const {
    return m_brush->isChecked();
}

void BakePage::stopBrushing() {
    m_brush->setChecked(false);
    m_seeCage->setChecked(false);
}

void BakePage::change(const std::function<void(BakeChoice&)>& edit) {
    BakeChoice next = m_choice;
    edit(next);
    if (next != m_choice) emit choiceChanged(next);
}

void BakePage::show(const std::shared_ptr<const Mesh>& mesh, bool isLevel, const BakeFigures* figures,
                    const BakeChoice& choice) {
    for (QPushButton* chip : {m_seeCage, m_brush}) chip->setEnabled(isLevel);
    m_mesh = mesh;
    m_choice = choice;
    m_sheet->updateValue(tr("%1 px").arg(choice.sheet));
    m_padding->updateValue(tr("%1 px").arg(choice.padding));
    m_sheets->updateValue(QString::number(choice.sheets));
    m_cage->updateValue(choice.cage.empty() ? tr("as measured") : QString::fromStdString(choice.cage));
    m_bits->setCurrentIndex(m_bits->findData(choice.bits));
    m_samples->setCurrentIndex(m_samples->findData(choice.samples));
    m_share->setCurrentIndex(m_share->findData(int(choice.share)));
    m_join->setChecked(choice.joinParts);
    m_apart->setChecked(choice.partsApart);
    m_keep->setChecked(choice.keepUvs);
    m_seams->setChecked(choice.alongSeams);
    m_occlusion->setChecked(choice.occlusionRays > 0);
    for (QCheckBox* box : {m_seams, m_keep}) box->setEnabled(mesh && !mesh->uvs.empty());
    m_even->setVisible(!choice.pushes.empty());
    m_shares = figures != nullptr ? figures->parts : std::vector<PartShare>();
    fillSources();
    fillParts();
}

void BakePage::setChosenPart(const std::string& name) {
    m_chosenPart = name;
    fillParts();
}

// Of thousands of parts those that were given a factor or take too much, the chosen one, and the largest.
BakePage::PartRows BakePage::partsToShow() const {
    PartRows all{{}, m_shares, 0};
    std::vector<double> sizes;
    if (!m_shares.empty()) {
        for (const PartShare& share : m_shares) {
            all.names.push_back(share.part);
            sizes.push_back(share.sheet);
        }
    } else if (m_mesh) {
        for (const Part& part : m_mesh->parts) all.names.push_back(part.name);
        for (const std::size_t triangles : trianglesByPart(*m_mesh)) sizes.push_back(double(triangles));
    }
    if (all.names.size() <= 1) return {};
    if (all.names.size() <= mostParts) return all;
    std::size_t asked = 0;
    for (std::size_t i = 0; i < all.names.size(); ++i) {
        const bool hasFactor = std::any_of(m_choice.factors.begin(), m_choice.factors.end(),
                                           [&](const PartFactor& f) { return f.part == all.names[i]; });
        if (!hasFactor && all.names[i] != m_chosenPart && (m_shares.empty() || !m_shares[i].isHog())) continue;
        sizes[i] = std::numeric_limits<double>::infinity();
        ++asked;
    }
    std::vector<std::size_t> order(all.names.size());
    std::iota(order.begin(), order.end(), std::size_t(0));
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return sizes[a] > sizes[b]; });
    order.resize(std::max(asked, mostParts));
    std::sort(order.begin(), order.end());
    PartRows some;
    for (const std::size_t i : order) {
        some.names.push_back(all.names[i]);
        if (!m_shares.empty()) some.shares.push_back(m_shares[i]);
    }
    some.more = all.names.size() - order.size();
    return some;
}

// A row for each other mesh that is baked from.
void BakePage::fillSources() {
    if (m_choice.also == m_sourcesShown) return;
    m_sourcesShown = m_choice.also;
    emptyLayout(*m_sourceRows);
    for (const std::string& path : m_choice.also) {
        auto* row = new QHBoxLayout;
        const QString file = QString::fromStdString(path);
        auto* name = makeQuietLabel(tr("and from %1").arg(QFileInfo(file).fileName()));
        name->setToolTip(file);
        auto* away = new QPushButton(tr("Leave out"));
        away->setObjectName("quiet");
        connect(away, &QPushButton::clicked, this,
                [this, path] { change([&](BakeChoice& c) { std::erase(c.also, path); }); });
        row->addWidget(name, 1);
        row->addWidget(away);
        m_sourceRows->addLayout(row);
    }
    m_sources->setVisible(!m_choice.also.empty());
}

// A row for each part; sliders that are there already stay, so that they can be dragged and stepped on.
void BakePage::fillParts() {
    const PartRows rows = partsToShow();
    if (rows != m_rowsShown) {
        m_rowsShown = rows;
        emptyLayout(*m_partRows);
        for (std::size_t i = 0; i < rows.names.size(); ++i)
            addPartRow(rows.names[i], rows.shares.empty() ? nullptr : &rows.shares[i]);
        if (rows.more > 0)
            m_partRows->addWidget(makeQuietLabel(tr("and %1 more; the one chosen on the left stands here, too")
                                                     .arg(QString::fromStdString(formatCount(rows.more)))),
                                  m_partRows->count() / 4, 0, 1, 4);
        m_parts->setVisible(!rows.names.empty());
    }
    m_isSettingFactors = true;
    for (int row = 0; row < int(rows.names.size()); ++row) {
        auto* slider = qobject_cast<QSlider*>(m_partRows->itemAtPosition(row, 2)->widget());
        const auto known = std::find_if(m_choice.factors.begin(), m_choice.factors.end(),
                                        [&](const PartFactor& f) { return f.part == rows.names[std::size_t(row)]; });
        const double factor = known != m_choice.factors.end() ? known->factor : 1;
        if (!slider->isSliderDown()) slider->setValue(int(std::lround(stepsOfDoubling * std::log2(factor))));
    }
    m_isSettingFactors = false;
}

// What the part takes and what is seen of it, once that is known, and a slider.
void BakePage::addPartRow(const std::string& name, const PartShare* share) {
    auto* takes = makeQuietLabel();
    if (share != nullptr) {
        takes->setText(tr("%1 % of it, %2 % seen").arg(percent(share->sheet), percent(share->seen)));
        if (share->isHog()) {
            takes->setObjectName("warn");
            takes->setToolTip(tr("It takes far more of the sheet than it shows: give it a smaller factor"));
        }
    }
    auto* slider = new QSlider(Qt::Horizontal);
    slider->setObjectName("factor " + QString::fromStdString(name));
    slider->setRange(-mostSteps, mostSteps);
    slider->setFixedWidth(64);
    slider->setToolTip(tr("How many times the texels along a side this part gets"));
    auto* value = makeQuietLabel();
    const auto factorOf = [](int steps) { return std::round(100 * std::exp2(steps / stepsOfDoubling)) / 100; };
    const auto tell = [value, factorOf](int steps) {
        value->setText(QString::fromStdString(formatNumber(factorOf(steps))) + " x");
    };
    tell(0);
    value->setMinimumWidth(value->fontMetrics().horizontalAdvance("0.00 x"));
    const auto decide = [this, slider, factorOf, name] {
        change([&](BakeChoice& c) {
            std::erase_if(c.factors, [&](const PartFactor& f) { return f.part == name; });
            if (slider->value() != 0) c.factors.push_back({name, factorOf(slider->value())});
        });
    };
    connect(slider, &QSlider::valueChanged, this, [this, slider, tell, decide](int steps) {
        tell(steps);
        if (!slider->isSliderDown() && !m_isSettingFactors) decide();
    });
    connect(slider, &QSlider::sliderReleased, this, decide);
    const int row = m_partRows->count() / 4;
    m_partRows->addWidget(makeQuietLabel(QString::fromStdString(name)), row, 0);
    m_partRows->addWidget(takes, row, 1);
    m_partRows->addWidget(slider, row, 2);
    m_partRows->addWidget(value, row, 3);
}

}  // namespace um::app
