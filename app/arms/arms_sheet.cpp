#include "app/arms/arms_page.h"

#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "core/spatial/number_text.h"
#include "core/spatial/rotation.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

/// The table of the data sheet, and the flange below it.
namespace topikos {

QWidget* ArmsPage::buildSheet()
{
    auto* face = new QWidget(this);
    face->setObjectName("face");
    face->setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(face);
    column->setContentsMargins(8, 6, 8, 6);
    column->setSpacing(5);
    m_table = new QTableView(face);
    m_table->setObjectName("sheetTable");
    m_table->setAccessibleName("Data sheet, an axis in each row");
    m_table->setModel(m_model);
    m_table->setItemDelegate(new TypedDelegate(m_table));
    m_table->setEditTriggers(QAbstractItemView::AnyKeyPressed | QAbstractItemView::DoubleClicked
                             | QAbstractItemView::EditKeyPressed);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setTabKeyNavigation(true);
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    m_table->horizontalHeader()->setMinimumSectionSize(44);
    m_table->verticalHeader()->setDefaultSectionSize(25);
    m_table->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    m_table->setAlternatingRowColors(true);
    column->addWidget(m_table, 1);
    connect(m_table->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& now) {
        if (now.isValid() && now.row() < m_bench->arm().jointCount()) m_bench->setJogJointIndex(now.row());
    });

    auto* below = new QHBoxLayout;
    below->setSpacing(6);
    auto* title = new QLabel("Flange [mm, °]", face);
    title->setFont(textFont(12, QFont::DemiBold));
    below->addWidget(title);
    static const char* const names[] = {"X", "Y", "Z", "", "", ""};
    for (size_t i = 0; i < 6; ++i) {
        auto* label = new QLabel(names[i], face);
        label->setProperty("class", "faint");
        if (i >= 3) m_flangeAngles[i - 3] = label;
        auto* edit = m_flange[i] = new QLineEdit(face);
        edit->setObjectName(QString("flange%1").arg(i));
        edit->setAccessibleName(QString("Flange, %1").arg(i < 3 ? QString("XYZ"[i]) : QString("angle %1").arg(i - 2)));
        edit->setFont(figureFont(12));
        edit->setFixedWidth(74);
        edit->setAlignment(Qt::AlignRight);
        edit->setToolTip(i < 3
                             ? "Place of the flange, from the base, as drawn; by DH rows from the last row's frame [mm]"
                             : "Turn of the flange [°]; its z points out of it");
        connect(edit, &QLineEdit::editingFinished, this, [this, i] {
            const auto number = numberOf(m_flange[i]->text().toStdString());
            if (!number)
                say(QString("“%1” is not a number. Sums like 1200-45/2 are possible.")
                        .arg(m_flange[i]->text().left(40)),
                    true);
            else if (m_flange[i]->isModified())
                return changeWhole([&](DataSheet& s) {
                    if (i < 3) {
                        s.flange.translation[Eigen::Index(i)] = *number * kMillimetre;
                    } else {
                        Vec3 angles = anglesOf(s.orientation, s.flange.matrix());
                        angles[Eigen::Index(i) - 3] = *number * kDegree;
                        s.flange.rotation = rotationFrom(s.orientation, angles);
                    }
                });
            fillFlange();
        });
        below->addWidget(label);
        below->addWidget(edit);
    }
    below->addStretch();
    const auto button = [&](const char* name, const QString& words, const QString& tip, auto run) {
        return addButton(below, face, name, words, tip, run);
    };
    button("addAxis", "Add axis", "A new axis after the selected one (Ctrl+Return)", [this] {
        const int at = row();
        m_model->addAxis(at < 0 ? m_model->rowCount() - 1 : at);
        m_table->setCurrentIndex(m_model->index(std::min(m_model->rowCount() - 1, at + 1), 2));
    });
    button("addSurface", "Surface …",
           "Draw the link of the selected axis from a mesh file, placed as in the drawing; undo takes it away", [this] {
               const QString path = QFileDialog::getOpenFileName(
                   this, "Surface of a link", {}, "Meshes (*.stl *.obj *.ply *.dae *.gltf *.glb);;All files (*)");
               if (!path.isEmpty()) addSurface(row() + 1, path);
           });
    button("removeAxis", "Remove axis", "Take the selected axis out (Ctrl+Delete)",
           [this] { m_model->removeAxis(row()); });
    column->addLayout(below);
    return face;
}

int ArmsPage::row() const { return m_table->currentIndex().isValid() ? m_table->currentIndex().row() : -1; }

void ArmsPage::fillFlange()
{
    const DataSheet& sheet = m_model->sheet();
    const Vec3 angles = anglesOf(sheet.orientation, sheet.flange.matrix());
    for (size_t i = 0; i < 6; ++i) {
        if (i >= 3) m_flangeAngles[i - 3]->setText(angleNames(sheet.orientation)[i - 3]);
        m_flange[i]->setText(i < 3 ? QString::number(millimetres(sheet.flange.translation[Eigen::Index(i)]), 'f', 2)
                                   : QString::number(degrees(angles[Eigen::Index(i) - 3]), 'f', 2));
        m_flange[i]->setModified(false);
    }
}

}  // namespace topikos
