#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/data_sheet.h"
#include "core/robot/forward.h"
#include "core/shape/arm_bodies.h"
#include "core/shape/mesh_file.h"
#include "tests/core/support.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <QDir>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>

#include <sys/stat.h>

#include <cstring>

using namespace topikos;
using namespace topikos::test;

namespace {

/// A box of 1 x 2 x 3 as twelve triangles, outside counter-clockwise.
const std::array<std::array<int, 3>, 12> kFaces{{{0, 2, 1},
                                                 {1, 2, 3},
                                                 {4, 5, 6},
                                                 {5, 7, 6},
                                                 {0, 1, 4},
                                                 {1, 5, 4},
                                                 {2, 6, 3},
                                                 {3, 6, 7},
                                                 {0, 4, 2},
                                                 {2, 4, 6},
                                                 {1, 3, 5},
                                                 {3, 7, 5}}};
Vec3 corner(int i) { return {double(i & 1), 2.0 * ((i >> 1) & 1), 3.0 * ((i >> 2) & 1)}; }

std::string stl(std::uint32_t claimed = 12)
{
    std::string out(80, 'x');
    out.append(reinterpret_cast<const char*>(&claimed), 4);
    for (const auto& face : kFaces) {
        float numbers[12] = {};
        for (int k = 0; k < 3; ++k)
            for (int c = 0; c < 3; ++c)
                numbers[3 + 3 * k + c] = float(corner(face[size_t(k)])[c]);
        out.append(reinterpret_cast<const char*>(numbers), sizeof numbers);
        out.append(2, '\0');
    }
    return out;
}

std::string textStl(const char* spoil = "")
{
    std::string out = "solid box\n";
    for (const auto& face : kFaces) {
        out += "facet normal 0 0 0\nouter loop\n";
        for (const int i : face)
            out += fmt::format("vertex {} {} {}\n", corner(i)[0], corner(i)[1],
                               *spoil ? std::string(spoil) : fmt::format("{}", corner(i)[2]));
        out += "endloop\nendfacet\n";
    }
    return out + "endsolid box\n";
}

std::string obj()
{
    std::string out;
    for (int i = 0; i < 8; ++i)
        out += fmt::format("v {} {} {}\n", corner(i)[0], corner(i)[1], corner(i)[2]);
    for (const auto& f : kFaces)
        out += fmt::format("f {} {} {}\n", f[0] + 1, f[1] + 1, f[2] + 1);
    return out;
}

std::string ply()
{
    std::string out = "ply\nformat ascii 1.0\nelement vertex 8\nproperty float x\nproperty float y\nproperty float "
                      "z\nelement face 12\nproperty list uchar int vertex_indices\nend_header\n";
    for (int i = 0; i < 8; ++i)
        out += fmt::format("{} {} {}\n", corner(i)[0], corner(i)[1], corner(i)[2]);
    for (const auto& f : kFaces)
        out += fmt::format("3 {} {} {}\n", f[0], f[1], f[2]);
    return out;
}

double volume(const Triangles& t)
{
    double sum = 0;
    for (const auto& f : t.faces)
        sum +=
            t.points[f[0]].cast<double>().dot(t.points[f[1]].cast<double>().cross(t.points[f[2]].cast<double>())) / 6;
    return sum;
}

}  // namespace

class MeshFileTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void filesOfEachKindGiveTheBox_data();
    void filesOfEachKindGiveTheBox();
    void brokenFilesEndInOneLine_data();
    void brokenFilesEndInOneLine();
    void hundredsOfThousandsOfTrianglesAreRead();
    void drawingSmoothsRoundAndKeepsEdges();
    void surfacesOfAUrdfComeAlong();
    void filesInsideAFileLieBesideIt_data();
    void filesInsideAFileLieBesideIt();
    void damagedFilesEndTheReaderOnly_data();
    void damagedFilesEndTheReaderOnly();
    void readingIsCancelled();
    void fenceKeepsOut();

private:
    std::string write(const QString& name, const std::string& text)
    {
        const std::string path = m_folder.filePath(name).toStdString();
        if (saveFile(path, text)) qFatal("cannot write");
        return path;
    }
    QTemporaryDir m_folder;
};

void MeshFileTest::filesOfEachKindGiveTheBox_data()
{
    QTest::addColumn<QString>("name");
    QTest::addColumn<std::string>("text");
    QTest::newRow("binary STL") << "box.stl" << stl();
    QTest::newRow("text STL") << "text.stl" << textStl();
    QTest::newRow("OBJ") << "box.obj" << obj();
    QTest::newRow("PLY") << "box.ply" << ply();
}

void MeshFileTest::filesOfEachKindGiveTheBox()
{
    QFETCH(QString, name);
    QFETCH(std::string, text);
    const Result<Triangles> read = readMeshFile(write(name, text), Vec3::Constant(0.1));
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(read->faces.size(), size_t(12));
    QVERIFY(std::abs(volume(*read) - 0.006) < 1e-7);
}

void MeshFileTest::brokenFilesEndInOneLine_data()
{
    QTest::addColumn<QString>("name");
    QTest::addColumn<std::string>("text");
    QTest::addColumn<QString>("said");
    QTest::newRow("header claims 4 GB") << "claim.stl" << stl(80000000) << "says that it holds 80000000 triangles";
    QTest::newRow("cut off") << "cut.stl" << stl().substr(0, 300) << "room for 4";
    QTest::newRow("not a number") << "nan.stl" << textStl("nan") << "not made of numbers";
    QTest::newRow("no area") << "flat.obj" << std::string("v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n")
                             << "no triangle with an area";
    QTest::newRow("points only") << "points.obj" << std::string("v 0 0 0\nv 1 0 0\n") << "cannot be read";
    QTest::newRow("empty") << "empty.stl" << std::string() << "cannot be read";
    QTest::newRow("something else") << "text.ply" << std::string("hello") << "cannot be read";
    QTest::newRow("no ending") << "noending" << std::string("hello") << "cannot be read";
}

void MeshFileTest::brokenFilesEndInOneLine()
{
    QFETCH(QString, name);
    QFETCH(std::string, text);
    QFETCH(QString, said);
    const Result<Triangles> read = readMeshFile(write(name, text));
    QVERIFY(!read);
    const QString line = QString::fromStdString(read.error().line());
    QVERIFY2(line.contains(said) && line.contains(name) && line.count('\n') == 0, qPrintable(line));
    QVERIFY(!readMeshFile(m_folder.filePath("nowhere.stl").toStdString()));
}

void MeshFileTest::hundredsOfThousandsOfTrianglesAreRead()
{
    // A wavy sheet of 2 x 300 x 500 triangles.
    constexpr int rows = 300, columns = 500;
    std::string out(80, ' ');
    const std::uint32_t count = 2 * rows * columns;
    out.append(reinterpret_cast<const char*>(&count), 4);
    const auto height = [](int r, int c) { return 0.05f * std::sin(0.1f * float(r)) * std::cos(0.07f * float(c)); };
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c)
            for (const int half : {0, 1}) {
                const int corners[2][3][2] = {{{0, 0}, {1, 0}, {1, 1}}, {{0, 0}, {1, 1}, {0, 1}}};
                float numbers[12] = {};
                for (int k = 0; k < 3; ++k) {
                    const int rr = r + corners[half][k][0], cc = c + corners[half][k][1];
                    numbers[3 + 3 * k] = 0.01f * float(rr);
                    numbers[4 + 3 * k] = 0.01f * float(cc);
                    numbers[5 + 3 * k] = height(rr, cc);
                }
                out.append(reinterpret_cast<const char*>(numbers), sizeof numbers);
                out.append(2, '\0');
            }
    const Triangles sheet = readMeshFile(write("sheet.stl", out)).value();
    QCOMPARE(sheet.faces.size(), size_t(count));
    const Mesh mesh = meshFrom(sheet);
    // Smooth all over: only the rim is an edge.
    QCOMPARE(mesh.edges.size(), size_t(2 * 2 * (rows + columns)));
}

void MeshFileTest::drawingSmoothsRoundAndKeepsEdges()
{
    const Mesh box = meshFrom(readMeshFile(write("drawn.stl", stl())).value());
    QCOMPARE(box.edges.size(), size_t(24));  // twelve, not the diagonals
    for (const MeshVertex& v : box.vertices)
        QVERIFY(std::abs(v.normal.cwiseAbs().maxCoeff() - 1) < 1e-6f);
}

void MeshFileTest::surfacesOfAUrdfComeAlong()
{
    QDir(m_folder.path()).mkpath("workshop/meshes");
    write("workshop/meshes/box.stl", stl());
    std::string text = readFile(dataPath("reference/robots/fiveaxis-500.urdf"), kLargestUrdfFile).value();
    QString bare = QString::fromStdString(text);
    bare.remove(QRegularExpression("<(visual|collision)>.*?</\\1>", QRegularExpression::DotMatchesEverythingOption));
    text = bare.toStdString();
    const auto add = [&](const std::string& link, const std::string& visual) {
        const std::string head = "<link name=\"" + link + "\">";
        const size_t at = text.find(head);
        if (at == std::string::npos) qFatal("%s", link.c_str());
        text.insert(at + head.size(), visual);
    };
    add("link_2", "<visual><origin xyz=\"0.1 0 0\"/><geometry><mesh filename=\"package://workshop/meshes/box.stl\" "
                  "scale=\"0.01 0.01 0.01\"/></geometry></visual>");
    add("link_4",
        "<collision><geometry><mesh filename=\"package://workshop/meshes/gone.stl\"/></geometry></collision>");
    const std::string path = write("arm.urdf", text);
    QCOMPARE(packagesOf(text), std::vector<std::string>{"workshop"});

    std::vector<std::string> lost;
    const PackageFolders folders{{"workshop", m_folder.filePath("workshop").toStdString()}};
    const ArmPtr arm = findArm(path, {}, &folders, &lost).value();
    QCOMPARE(arm->description().meshes.size(), size_t(1));
    QCOMPARE(arm->description().meshes[0].link, 2);
    QCOMPARE(lost.size(), size_t(1));
    QVERIFY2(lost[0].find("link_4") != std::string::npos && lost[0].find("gone.stl") != std::string::npos,
             lost[0].c_str());
    std::vector<std::string> unknown;
    const PackageFolders none;
    QVERIFY(findArm(path, {}, &none, &unknown).ok());
    QVERIFY(unknown.size() == 2 && unknown[0].find("\"workshop\"") != std::string::npos);

    // The surface stands where the file puts it, through sheet and file, whatever the posture.
    const auto boxAt = [](const Arm& a, const JointVector& q) {
        ChainFrames frames;
        chainFrames(a, q, frames);
        Eigen::AlignedBox3d box;
        const std::vector<Mesh> bodies = armBodies(a);
        for (const MeshVertex& v : bodies[2].vertices)
            box.extend(frames.joints[1].rotation * v.position.cast<double>() + frames.joints[1].origin);
        return box;
    };
    JointVector q = JointVector::Zero(5);
    const Eigen::AlignedBox3d zero = boxAt(*arm, q);
    const Vec3 low = linkPoses(*arm, q)[1] * Vec3(0.1, 0, 0);
    QVERIFY((zero.min() - low).norm() < 1e-6 && (zero.sizes() - Vec3(0.01, 0.02, 0.03)).norm() < 1e-6);
    const DataSheet sheet = readSheet(writeSheet(sheetOf(arm->description())), "arm").value();
    QCOMPARE(sheet.meshes.size(), size_t(1));
    const ArmPtr again = armOf(sheet).value();
    q << 0.5, -0.4, 0.3, 0.2, 0.1;
    QVERIFY((boxAt(*arm, q).min() - boxAt(*again, q).min()).norm() < 1e-6);
    QVERIFY((boxAt(*arm, q).max() - boxAt(*again, q).max()).norm() < 1e-6);

    // Written as URDF, the surface lies beside the text and comes back with it.
    const std::string out = m_folder.filePath("out/five.urdf").toStdString();
    QDir(m_folder.path()).mkpath("out");
    const Exported exported = exportArm(*arm, {}, out).value();
    QCOMPARE(exported.beside.size(), size_t(1));
    QVERIFY(!saveExported(out, exported));
    QVERIFY(QFile::exists(m_folder.filePath("out/five-meshes/link-2-1.stl")));
    std::vector<std::string> missing;
    const ArmPtr back = findArm(out, {}, &none, &missing).value();
    QVERIFY2(missing.empty(), missing.empty() ? "" : missing[0].c_str());
    QCOMPARE(back->description().meshes.size(), size_t(1));
    QVERIFY((boxAt(*arm, q).min() - boxAt(*back, q).min()).norm() < 1e-6
            && (boxAt(*arm, q).max() - boxAt(*back, q).max()).norm() < 1e-6);

    // Boxes, cylinders and spheres of the file itself are drawn as they are.
    add("link_3", "<visual><geometry><sphere radius=\"0.05\"/></geometry></visual>");
    const ArmPtr simple = findArm(write("simple.urdf", text), {}, &folders).value();
    QCOMPARE(simple->description().meshes.size(), size_t(2));
    QVERIFY(
        std::abs(volume(*simple->description().meshes[1].triangles) / (4.0 / 3 * 3.14159265 * 0.05 * 0.05 * 0.05) - 1)
        < 0.05);

    std::string broken = writeSheet(sheet);
    const size_t at = broken.find("\"triangles\":[");
    broken.replace(at, 13, "\"triangles\":[999,");
    QVERIFY(!readSheet(broken, "arm"));
}

void MeshFileTest::filesInsideAFileLieBesideIt_data()
{
    QTest::addColumn<QString>("buffer");
    QTest::addColumn<bool>("found");
    QTest::newRow("beside it") << "box.bin" << true;
    QTest::newRow("in a folder beside it") << "inner/box.bin" << true;
    QTest::newRow("a pipe, which nobody writes to") << "pipe.bin" << false;
    QTest::newRow("above it") << "../above.bin" << false;
    QTest::newRow("by a link that leads away") << "link.bin" << false;
    QTest::newRow("anywhere") << "/etc/hostname" << false;
}

void MeshFileTest::filesInsideAFileLieBesideIt()
{
    QFETCH(QString, buffer);
    QFETCH(bool, found);
    const QTemporaryDir outer;
    QDir(outer.path()).mkpath("here/inner");
    const QString here = outer.filePath("here/");
    Json document = Json::parse(readFile(dataPath("meshes/box.gltf"), 1 << 20).value());
    const std::string uri = document["buffers"][0]["uri"];
    const std::string bytes =
        QByteArray::fromBase64(QByteArray::fromStdString(uri.substr(uri.find(',') + 1))).toStdString();
    for (const QString& name : {outer.filePath("above.bin"), here + "box.bin", here + "inner/box.bin"})
        QVERIFY(!saveFile(name.toStdString(), bytes));
    QVERIFY(QFile::link(outer.filePath("above.bin"), here + "link.bin"));
    QVERIFY(mkfifo((here + "pipe.bin").toLocal8Bit().constData(), 0600) == 0);
    document["buffers"][0]["uri"] = buffer.toStdString();
    const std::string path = (here + "box.gltf").toStdString();
    QVERIFY(!saveFile(path, document.dump()));
    const Result<Triangles> read = readMeshFile(path);
    QCOMPARE(read.ok(), found);
    // Materials of an OBJ file the same way; without them it is read all the same.
    const std::string painted = (here + "box.obj").toStdString();
    QVERIFY(!saveFile(painted, "mtllib " + buffer.toStdString() + "\n" + obj()));
    QVERIFY(readMeshFile(painted).ok());
}

void MeshFileTest::damagedFilesEndTheReaderOnly_data()
{
    QTest::addColumn<QString>("name");
    for (const QString& name :
         QDir(QString::fromStdString(dataPath("once-broke"))).entryList({"*.ply", "*.dae", "*.glb"}))
        QTest::newRow(qPrintable(name)) << name;
}

void MeshFileTest::damagedFilesEndTheReaderOnly()
{
    QFETCH(QString, name);
    const Result<Triangles> read = readMeshFile(dataPath("once-broke/" + name.toStdString()));
    QVERIFY(!read);
    const QString line = QString::fromStdString(read.error().line());
    QVERIFY2(line.contains(name) && !line.contains('\n') && line.size() > name.size() + 40, qPrintable(line));
}

void MeshFileTest::readingIsCancelled()
{
    // Large enough that it is still being read when it is asked for the first time.
    std::string sheet(80, ' ');
    const std::uint32_t count = 400000;
    sheet.append(reinterpret_cast<const char*>(&count), 4);
    const std::string triangle = stl().substr(84, 50);
    for (std::uint32_t i = 0; i < count; ++i)
        sheet += triangle;
    int asked = 0;
    const Result<Triangles> read = readMeshFile(write("large.stl", sheet), Vec3::Ones(), [&] { return ++asked < 2; });
    QVERIFY(!read);
    QCOMPARE(read.error().code, std::string("mesh.cancelled"));
    QCOMPARE(asked, 2);
}

void MeshFileTest::fenceKeepsOut()
{
    QProcess fenced;
    fenced.start(TOPIKOS_IMPORT, {"--fence", "/tmp/no such file"});
    QVERIFY(fenced.waitForFinished());
    const QByteArray told = fenced.readAllStandardOutput();
    for (const char* what : {"network: refused", "programs: refused", "files: refused"})
        QVERIFY2(told.contains(what), told);
}

TOPIKOS_TEST(MeshFileTest)
#include "mesh_file_test.moc"
