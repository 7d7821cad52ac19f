#include "app/panels/ChainCard.h"

#include "app/panels/Widgets.h"
#include "app/theme/NumberText.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "base/Units.h"
#include "document/Edits.h"

#include <QCheckBox>
#include <QComboBox>
#include <QCoreApplication>
#include <QFile>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QStyle>
#include <QVBoxLayout>

namespace um::app {
namespace {

constexpr int chainCardWidth = 476;

// "50 %", "0.5" and "50" all mean a half, as long as they are above 1 or have the sign.
double shareOf(const QString& text) {
    const auto typed = parseNumberWithSuffix(text.toStdString());
    if (!typed || (!typed->suffix.empty() && typed->suffix != "%"))
        throw InputError("\"" + text.toStdString() + "\" is no share: type it like 30 %.");
    return typed->suffix == "%" || typed->number > 1 ? typed->number / 100 : typed->number;
}

double pixelsOf(const QString& text) {
    const auto typed = parseNumberWithSuffix(text.toStdString());
    if (!typed || (!typed->suffix.empty() && typed->suffix != "px"))
        throw InputError("\"" + text.toStdString() + "\" is no number of pixels: type it like 1 px.");
    return typed->number;
}

bool isAny(const QString& text) {
    const QString plain = text.trimmed().toLower();
    return plain.isEmpty() || plain == "any" || plain == "0";
}

double megabytesOf(const QString& text) {
    const auto typed = parseNumberWithSuffix(text.toStdString());
    if (!typed || !(typed->number >= 0))
        throw InputError("\"" + text.toStdString() + "\" is no size: type megabytes, such as 8 MB.");
    return typed->number;
}

}  // namespace

std::vector<ShippedRecipe> shippedRecipes() {
    const auto tr = [](const char* text) { return QCoreApplication::translate("ChainCard", text); };
    return {{tr("Hero prop"), ":/recipes/hero-prop.json",
             tr("Planned within a pixel up to where it fills the screen; outlines first")},
            {tr("Background prop"), ":/recipes/background-prop.json",
             tr("Three small levels within two pixels, the last in one draw call; gone below 8 px")},
            {tr("Character"), ":/recipes/character.json",
             tr("Four levels with skin and blend shapes kept, outlines dear; fine maps go from the third on")},
            {tr("Terrain piece"), ":/recipes/terrain-piece.json",
             tr("Borders are held in every level, so that neighbours meet; always drawn")}};
}

Recipe readShipped(const ShippedRecipe& recipe) {
    QFile file(recipe.file);
    if (!file.open(QIODevice::ReadOnly)) throw InputError("The recipe is missing from the program.");
    return recipeFromJson(file.readAll().toStdString());
}

ChainCard::ChainCard(Job& making, QWidget* parent)
    : QWidget(parent),
      m_pages(new QStackedWidget),
      m_how(new QComboBox),
      m_ways(new QStackedWidget),
      m_make(new QPushButton(tr("Make the chain"))),
      m_remake(new QPushButton(tr("Make them anew"))),
      m_recipe(new QPushButton(tr("Recipe …"))),
      m_problem(makeQuietLabel()),
      m_stale(makeQuietLabel()),
      m_advice(makeQuietLabel()),
      m_levelGrid(nullptr),
      m_levelRows(new QWidget) {
    setObjectName("card");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(chainCardWidth);
    auto* heading = new QHBoxLayout;
    heading->setSpacing(6);
    heading->addWidget(makeHeading(tr("CHAIN")));
    heading->addSpacing(8);
    const std::pair<QString, QString> tabs[] = {{tr("Make"), tr("How levels are found")},
                                                {tr("Levels"), tr("What each level keeps")},
                                                {tr("Switching"), tr("When one takes over from another")},
                                                {tr("Budget"), tr("What all of it may cost")}};
    for (int i = 0; i < 4; ++i) {
        QPushButton* tab = makeChip(tabs[i].first, tabs[i].second);
        m_tabs.push_back(tab);
        heading->addWidget(tab);
        connect(tab, &QPushButton::clicked, this, [this, i] { open(Page(i)); });
    }
    heading->addStretch();
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("quiet");
    heading->addWidget(close);
    m_pages->addWidget(makeMakePage());
    m_pages->addWidget(makeLevelsPage());
    m_pages->addWidget(makeSwitchingPage());
    m_pages->addWidget(makeBudgetPage());
    for (QLabel* label : {m_problem, m_stale, m_advice}) label->setWordWrap(true);
    m_problem->setObjectName("bad");
    m_make->setObjectName("primary");
    m_recipe->setToolTip(tr("Recipes that come with the program, and those of your own"));
    auto* anew = new QHBoxLayout;
    anew->addWidget(m_stale, 1);
    anew->addWidget(m_remake);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 16, 14);
    column->setSpacing(8);
    column->addLayout(heading);
    column->addWidget(m_pages);
    column->addWidget(m_problem);
    column->addLayout(anew);
    column->addWidget(new JobStrip(making, tr("Making the chain")));
    column->addWidget(m_advice);
    hide();
    connect(close, &QPushButton::clicked, this, [this] {
        hide();
        emit closed();
    });
    connect(m_make, &QPushButton::clicked, this, &ChainCard::make);
    connect(m_remake, &QPushButton::clicked, this, &ChainCard::remakeWanted);
    connect(m_recipe, &QPushButton::clicked, this, &ChainCard::openRecipeMenu);
    const auto fit = [this] { fitHeight(); };
    connect(&making, &Job::started, this, [this, fit] {
        m_make->setEnabled(false);
        m_remake->setEnabled(false);
        QMetaObject::invokeMethod(this, fit, Qt::QueuedConnection);
    });
    connect(&making, &Job::ended, this, [this, fit] {
        m_make->setEnabled(true);
        m_remake->setEnabled(true);
        QMetaObject::invokeMethod(this, fit, Qt::QueuedConnection);
    });
    open(Page::Make);
    hide();
}

CommitField* ChainCard::addField(QGridLayout* grid, const QString& key, const QString& label, const QString& hint) {
    auto* made = new CommitField;
    made->setObjectName(key);
    made->setHint(hint);
    made->setFixedWidth(120);
    const int row = grid->rowCount();
    grid->addWidget(makeQuietLabel(label), row, 0);
    grid->addWidget(made, row, 1);
    QLabel* meaning = makeQuietLabel(hint);
    meaning->setFont(textFont(-1));
    grid->addWidget(meaning, row, 2);
    grid->setColumnStretch(2, 1);
    grid->setVerticalSpacing(6);
    return made;
}

// Labels that wrap have the height that they need, so have the levels as long as they are few, and the card that of all
// it shows.
void ChainCard::fitHeight() {
    constexpr int mostForLevels = 300;
    m_levelGrid->activate();
    QWidget* levels = m_pages->widget(int(Page::Levels));
    const int rows = std::min(m_levelGrid->sizeHint().height(), mostForLevels);
    const bool isShown = page() == Page::Levels;
    levels->setMinimumHeight(isShown ? rows : 0);
    levels->setMaximumHeight(isShown ? rows : QWIDGETSIZE_MAX);
    for (QLabel* label : {m_problem, m_stale, m_advice}) {
        const int room =
            label == m_stale ? chainCardWidth - 32 - m_remake->sizeHint().width() - 8 : chainCardWidth - 32;
        label->setMinimumHeight(label->isHidden() ? 0 : std::max(0, label->heightForWidth(room)));
    }
    // What pages ask for reaches the card by itself only later.
    m_pages->layout()->activate();
    m_pages->updateGeometry();
    layout()->activate();
    adjustSize();
}

CommitField* ChainCard::field(const QString& name) const {
    return findChild<CommitField*>(name);
}

QComboBox* ChainCard::materialsOf(int level) const {
    return findChild<QComboBox*>(QString("materials %1").arg(level));
}

QWidget* ChainCard::makeMakePage() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    m_how->addItems({tr("Planned for the screen it is seen on"), tr("By a first level and a factor")});
    m_how->setObjectName("how");
    auto* planned = new QWidget;
    auto* plan = new QGridLayout(planned);
    plan->setContentsMargins(0, 0, 0, 0);
    addField(plan, "mostLevels", tr("At most"), tr("levels"))->showValue("5");
    addField(plan, "step", tr("Each at most"), tr("of the triangles of the one before"))->showValue("50 %");
    addField(plan, "total", tr("In all"), tr("triangles, or any"))->showValue(tr("any"));
    addField(plan, "nearest", tr("Seen nearest at"), tr("a distance; auto where it fills the screen"))
        ->showValue(tr("auto"));
    auto* factored = new QWidget;
    auto* factor = new QGridLayout(factored);
    factor->setContentsMargins(0, 0, 0, 0);
    addField(factor, "first", tr("First level"), tr("a count or a share of the source"))->showValue("10 %");
    addField(factor, "ratio", tr("Each has"), tr("of the triangles of the one before"))->showValue("30 %");
    addField(factor, "count", tr("In all"), tr("levels"))->showValue("4");
    m_ways->addWidget(planned);
    m_ways->addWidget(factored);
    connect(m_how, &QComboBox::currentIndexChanged, m_ways, &QStackedWidget::setCurrentIndex);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(m_recipe);
    buttons->addStretch();
    buttons->addWidget(m_make);
    column->addWidget(m_how);
    column->addWidget(m_ways);
    column->addLayout(buttons);
    return page;
}

QWidget* ChainCard::makeLevelsPage() {
    QScrollArea* scroll = makeScroll(m_levelRows);
    m_levelGrid = new QGridLayout(m_levelRows);
    m_levelGrid->setContentsMargins(0, 0, 0, 0);
    m_levelGrid->setHorizontalSpacing(8);
    m_levelGrid->setVerticalSpacing(6);
    m_levelGrid->setColumnStretch(0, 1);
    return scroll;
}

QWidget* ChainCard::makeSwitchingPage() {
    auto* page = new QWidget;
    auto* grid = new QGridLayout(page);
    grid->setContentsMargins(0, 0, 0, 0);
    const std::tuple<QString, QString, QString> rows[] = {
        {"allowed", tr("Allowed error"), tr("px, by which a level may be off")},
        {"floor", tr("Wasted under"), tr("px a triangle")},
        {"hysteresis", tr("Comes back"), tr("nearer than it went, against flicker")},
        {"crossFade", tr("Cross-fade over"), tr("of the distance, dithered")},
        {"gone", tr("Gone below"), tr("px tall; 0 is always drawn")}};
    for (const auto& [key, label, hint] : rows)
        connect(addField(grid, key, label, hint), &CommitField::committed, this, &ChainCard::takeSwitching);
    return page;
}

QWidget* ChainCard::makeBudgetPage() {
    auto* page = new QWidget;
    auto* grid = new QGridLayout(page);
    grid->setContentsMargins(0, 0, 0, 0);
    const std::tuple<QString, QString, QString> rows[] = {
        {"budgetTotal", tr("Triangles"), tr("of all levels together, or any")},
        {"budgetLevel", tr("Triangles per level"), tr("of each level, or any")},
        {"budgetDraws", tr("Draw calls per level"), tr("of each level, or any")},
        {"budgetTextures", tr("Textures"), tr("MB on the graphics card, or any")},
        {"budgetFiles", tr("Files"), tr("MB of all levels together, or any")}};
    for (const auto& [key, label, hint] : rows)
        connect(addField(grid, key, label, hint), &CommitField::committed, this, &ChainCard::takeBudget);
    return page;
}

void ChainCard::open(Page page) {
    const int number = int(page);
    for (int i = 0; i < int(m_tabs.size()); ++i) m_tabs[std::size_t(i)]->setChecked(i == number);
    m_pages->setCurrentIndex(number);
    // The page that is shown alone says how tall the card is.
    for (int i = 0; i < m_pages->count(); ++i)
        m_pages->widget(i)->setSizePolicy(QSizePolicy::Preferred,
                                          i == number ? QSizePolicy::Preferred : QSizePolicy::Ignored);
    m_problem->clear();
    m_problem->hide();
    setVisible(true);
    raise();
    fitHeight();
}

ChainCard::Page ChainCard::page() const {
    return Page(m_pages->currentIndex());
}

void ChainCard::show(const Document& document, const std::vector<bool>& stale, const std::vector<std::string>& advice) {
    m_document = document;
    const Switching& s = document.switching;
    field("allowed")->updateValue(number(s.allowedPixels) + " px");
    field("floor")->updateValue(number(s.floorPixels) + " px");
    field("hysteresis")->updateValue(number(100 * s.hysteresis) + " %");
    field("crossFade")->updateValue(number(100 * s.crossFade) + " %");
    field("gone")->updateValue(number(s.gonePixels) + " px");
    const Budget& b = document.budget;
    const auto count = [&](std::size_t value) {
        return value > 0 ? QString::fromStdString(formatCount(value)) : tr("any");
    };
    const auto size = [&](double value) { return value > 0 ? number(value) + " MB" : tr("any"); };
    field("budgetTotal")->updateValue(count(b.totalTriangles));
    field("budgetLevel")->updateValue(count(b.levelTriangles));
    field("budgetDraws")->updateValue(count(b.drawCalls));
    field("budgetTextures")->updateValue(size(b.textureMegabytes));
    field("budgetFiles")->updateValue(size(b.fileMegabytes));
    fillLevels(stale);
    const auto staleCount = std::count(stale.begin(), stale.end(), true);
    m_stale->setText(staleCount == 1 ? tr("One level is stale: its source or its recipe has changed.")
                                     : tr("%1 levels are stale: their source or recipe has changed.").arg(staleCount));
    for (QWidget* widget : std::initializer_list<QWidget*>{m_stale, m_remake}) widget->setVisible(staleCount > 0);
    QStringList lines;
    for (const std::string& sentence : advice) lines += "· " + QString::fromStdString(sentence);
    m_advice->setText(breakable(lines.mid(0, 5).join("\n")));
    m_advice->setVisible(!lines.isEmpty());
    fitHeight();
}

void ChainCard::fillLevels(const std::vector<bool>& stale) {
    // What is as it was stays, so that a field that is just being typed in is left alone.
    QString rows;
    for (std::size_t i = 0; i < m_document.levels.size(); ++i) {
        const Level& level = m_document.levels[i];
        rows += QString::fromStdString(level.name + levelRecipeJson(level.recipe)) + (stale[i] ? "stale" : "") +
                (level.isHandmade ? "hand" : "") + (level.isLocked ? "locked" : "") + "\n";
    }
    if (rows == m_rowsShown) return;
    m_rowsShown = rows;
    for (QWidget* widget : m_rowWidgets) {
        widget->hide();
        widget->setObjectName({});
        widget->deleteLater();
    }
    m_rowWidgets.clear();
    const auto put = [&](QWidget* widget, int row, int columnNumber) {
        m_levelGrid->addWidget(widget, row, columnNumber);
        m_rowWidgets.push_back(widget);
        widget->show();
    };
    if (m_document.levels.empty()) put(makeQuietLabel(tr("There are no levels yet.")), 0, 0);
    const QString headings[] = {tr("level"), tr("target"), tr("materials"), tr("textures"), tr("guard")};
    for (int i = 0; i < 5 && !m_document.levels.empty(); ++i) {
        QLabel* heading = makeQuietLabel(headings[i]);
        heading->setFont(textFont(-2));
        put(heading, 0, i);
    }
    for (std::size_t i = 0; i < m_document.levels.size(); ++i) {
        const Level& level = m_document.levels[i];
        const int row = int(i) + 1;
        auto* name = new NameLabel(QString::fromStdString(level.name));
        name->setMaximumWidth(110);
        if (stale[i]) name->setStyleSheet("color: " + theme().amber.name());
        put(name, row, 0);
        if (level.isHandmade) {
            put(makeQuietLabel(tr("made by hand")), row, 1);
            continue;
        }
        auto* target = new CommitField;
        target->setObjectName(QString("target %1").arg(i));
        target->setFixedWidth(112);
        target->setHint(tr("12k, 1.2 %, 30 % of before, 0.5 mm, or 1 px @ 24 m"));
        target->showValue(QString::fromStdString(level.recipe.target));
        auto* materials = new QComboBox;
        materials->setObjectName(QString("materials %1").arg(i));
        for (const MaterialKeeping keeping :
             {MaterialKeeping::All, MaterialKeeping::NoFineMaps, MaterialKeeping::BaseColor, MaterialKeeping::Flat,
              MaterialKeeping::OneSlot, MaterialKeeping::Baked})
            materials->addItem(QString::fromStdString(nameOf(keeping)));
        materials->setCurrentIndex(int(level.recipe.materials));
        auto* fit = new QCheckBox(tr("fit"));
        fit->setObjectName(QString("fit %1").arg(i));
        fit->setToolTip(tr("Makes textures as small as their texels can be seen where the level comes in"));
        fit->setChecked(level.recipe.fitTextures);
        auto* guard = new CommitField;
        guard->setObjectName(QString("guard %1").arg(i));
        guard->setFixedWidth(56);
        guard->setHint(tr("How much of keep and yield holds for this level, 0 to 200 %"));
        guard->showValue(number(100 * level.recipe.guardStrength) + " %");
        put(target, row, 1);
        put(materials, row, 2);
        put(fit, row, 3);
        put(guard, row, 4);
        const auto change = [this, i](auto&& edit) {
            LevelRecipe recipe = m_document.levels[i].recipe;
            edit(recipe);
            emit levelChanged(int(i), recipe);
        };
        connect(target, &CommitField::committed, this, [target, change](const QString& text) {
            try {
                parseTarget(text.toStdString());
            } catch (const InputError& error) {
                target->showProblem(QString::fromUtf8(error.what()));
                return;
            }
            change([&](LevelRecipe& recipe) { recipe.target = text.toStdString(); });
        });
        connect(guard, &CommitField::committed, this, [guard, change](const QString& text) {
            try {
                const double share = text.contains('%') ? shareOf(text) : shareOf(text + " %");
                if (!(share >= 0 && share <= 2)) throw InputError("A guard strength goes from 0 to 200 %.");
                change([&](LevelRecipe& recipe) { recipe.guardStrength = share; });
            } catch (const InputError& error) {
                guard->showProblem(QString::fromUtf8(error.what()));
            }
        });
        connect(materials, &QComboBox::activated, this, [change](int keeping) {
            change([&](LevelRecipe& recipe) { recipe.materials = MaterialKeeping(keeping); });
        });
        connect(fit, &QCheckBox::toggled, this,
                [change](bool fits) { change([&](LevelRecipe& recipe) { recipe.fitTextures = fits; }); });
    }
}

Recipe ChainCard::wantedRecipe() const {
    Recipe recipe = recipeOf(m_document);
    recipe.levels.clear();
    const auto text = [&](const char* name) { return field(name)->text(); };
    if (m_how->currentIndex() == 0) {
        PlanSettings plan;
        plan.mostLevels = int(parseCount(text("mostLevels").toStdString()));
        plan.step = shareOf(text("step"));
        plan.totalTriangles = isAny(text("total")) ? 0 : parseCount(text("total").toStdString());
        const QString nearest = text("nearest").trimmed().toLower();
        if (nearest != "auto" && !nearest.isEmpty()) plan.nearest = parseLength(nearest.toStdString()).inMeshUnits(1);
        recipe.plan = plan;
    } else {
        recipe.levels =
            levelsByRatio(text("first").toStdString(), shareOf(text("ratio")), parseCount(text("count").toStdString()));
    }
    requireSensible(recipe);
    return recipe;
}

void ChainCard::showProblem(const InputError& error) {
    m_problem->setText(breakable(QString::fromUtf8(error.what())));
    m_problem->show();
}

void ChainCard::make() {
    if (!m_make->isEnabled()) return;
    try {
        const Recipe recipe = wantedRecipe();
        m_problem->hide();
        emit makeWanted(recipe);
    } catch (const InputError& error) {
        showProblem(error);
    }
    fitHeight();
}

void ChainCard::takeSwitching() {
    const auto text = [&](const char* name) { return field(name)->text(); };
    try {
        Switching s;
        s.allowedPixels = pixelsOf(text("allowed"));
        s.floorPixels = pixelsOf(text("floor"));
        s.hysteresis = shareOf(text("hysteresis"));
        s.crossFade = shareOf(text("crossFade"));
        s.gonePixels = pixelsOf(text("gone"));
        requireSensible(s);
        m_problem->hide();
        emit switchingChanged(s);
    } catch (const InputError& error) {
        showProblem(error);
    }
    fitHeight();
}

void ChainCard::takeBudget() {
    const auto count = [&](const char* name) {
        const QString text = field(name)->text();
        return isAny(text) ? std::size_t(0) : parseCount(QString(text).remove(',').toStdString());
    };
    const auto size = [&](const char* name) {
        const QString text = field(name)->text();
        return isAny(text) ? 0.0 : megabytesOf(text);
    };
    try {
        const Budget budget{count("budgetLevel"), count("budgetTotal"), count("budgetDraws"), size("budgetTextures"),
                            size("budgetFiles")};
        m_problem->hide();
        emit budgetChanged(budget);
    } catch (const InputError& error) {
        showProblem(error);
    }
    fitHeight();
}

void ChainCard::openRecipeMenu() {
    QMenu menu(this);
    menu.setToolTipsVisible(true);
    for (const ShippedRecipe& shipped : shippedRecipes()) {
        QAction* action = menu.addAction(tr("Make by \"%1\"").arg(shipped.name), this, [this, shipped] {
            try {
                Recipe recipe = readShipped(shipped);
                recipe.screen = m_document.screen;  // what it is seen on is the document's own
                emit makeWanted(recipe);
            } catch (const InputError& error) {
                showProblem(error);
            }
        });
        action->setToolTip(shipped.meaning);
    }
    menu.addSeparator();
    menu.addAction(tr("Make by a file …"), this, &ChainCard::readRecipeWanted);
    QAction* saving = menu.addAction(tr("Save this chain's recipe …"), this, &ChainCard::saveRecipeWanted);
    saving->setEnabled(!m_document.levels.empty());
    menu.exec(m_recipe->mapToGlobal(QPoint(0, m_recipe->height() + 2)));
}

}  // namespace um::app
