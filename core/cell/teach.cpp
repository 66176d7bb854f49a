#include "core/cell/teach.h"

#include <Eigen/QR>
#include <Eigen/SVD>
#include <fmt/format.h>

#include <cmath>

namespace topikos {

Result<Pose> frameFromThreePoints(const Vec3& origin, const Vec3& alongX, const Vec3& towardsY)
{
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    if (!origin.allFinite() || !alongX.allFinite() || !towardsY.allFinite())
        return fail("teach.points", "a point holds a value that is not a number", "Type plain numbers.");
    const Vec3 x = alongX - origin, v = towardsY - origin;
    if (x.norm() < 1e-3 || v.norm() < 1e-3)
        return fail("teach.near",
                    fmt::format("two of the points are {:.2f} mm apart; at least 1 mm is needed",
                                1e3 * std::min(x.norm(), v.norm())),
                    "Take points further apart.");
    const Vec3 ex = x.normalized(), side = v - v.dot(ex) * ex;
    if (side.norm() < 1e-4)
        return fail("teach.line", fmt::format("the three points lie on a line (within {:.3f} mm)", 1e3 * side.norm()),
                    "Take the third point to the side of the x axis.");
    const Vec3 ey = side.normalized();
    Mat3 rotation;
    rotation << ex, ey, ex.cross(ey);
    return makePose(rotation, origin);
}

Result<PlaceFit> fitPlace(const std::vector<Vec3>& nominal, const std::vector<Vec3>& measured)
{
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    const size_t n = nominal.size();
    if (n < 3 || measured.size() != n)
        return fail("teach.count",
                    fmt::format("{} pairs of points are not enough; three are", std::min(n, measured.size())),
                    "Measure more points.");
    Vec3 nominalMean = Vec3::Zero(), measuredMean = Vec3::Zero();
    for (size_t i = 0; i < n; ++i) {
        if (!nominal[i].allFinite() || !measured[i].allFinite())
            return fail("teach.points", fmt::format("point {} holds a value that is not a number", i + 1),
                        "Type plain numbers.");
        nominalMean += nominal[i] / double(n);
        measuredMean += measured[i] / double(n);
    }
    Mat3 covariance = Mat3::Zero(), spread = Mat3::Zero();
    for (size_t i = 0; i < n; ++i) {
        covariance += (measured[i] - measuredMean) * (nominal[i] - nominalMean).transpose();
        spread += (nominal[i] - nominalMean) * (nominal[i] - nominalMean).transpose();
    }
    const Vec3 widths = Eigen::JacobiSVD<Mat3>(spread).singularValues().cwiseSqrt();
    if (widths[1] < 1e-4)
        return fail("teach.line", fmt::format("the nominal points lie on a line (within {:.3f} mm)", 1e3 * widths[1]),
                    "Choose points that span a triangle.");
    const Eigen::JacobiSVD<Mat3> svd(covariance, Eigen::ComputeFullU | Eigen::ComputeFullV);
    Mat3 flip = Mat3::Identity();
    flip(2, 2) = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0 ? -1 : 1;
    const Mat3 rotation = svd.matrixU() * flip * svd.matrixV().transpose();
    PlaceFit fit;
    fit.place = makePose(rotation, measuredMean - rotation * nominalMean);
    double sum = 0;
    for (size_t i = 0; i < n; ++i) {
        const double away = (fit.place * nominal[i] - measured[i]).norm();
        sum += away * away;
        if (away > fit.worst) fit.worst = away, fit.worstPoint = i;
    }
    fit.rms = std::sqrt(sum / double(n));
    return fit;
}

Result<TcpFit> fitTcp(const std::vector<Pose>& poses)
{
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    const size_t n = poses.size();
    if (n < 4)
        return fail("teach.count", fmt::format("{} postures are not enough; four are", n),
                    "Touch the place from more sides.");
    // rotation_i * tcp + translation_i = place, for all i.
    Eigen::MatrixXd a(3 * Eigen::Index(n), 6);
    Eigen::VectorXd b(3 * Eigen::Index(n));
    for (size_t i = 0; i < n; ++i) {
        a.block<3, 3>(3 * Eigen::Index(i), 0) = poses[i].matrix();
        a.block<3, 3>(3 * Eigen::Index(i), 3) = -Mat3::Identity();
        b.segment<3>(3 * Eigen::Index(i)) = -poses[i].translation;
    }
    const Eigen::JacobiSVD<Eigen::MatrixXd> svd(a, Eigen::ComputeThinU | Eigen::ComputeThinV);
    const Eigen::VectorXd values = svd.singularValues();
    if (values[5] < 1e-3 * values[0])
        return fail("teach.orientations",
                    "the postures turn the tool too little, or about one axis only, so they do not tell its point",
                    "Touch the place with the tool tilted in different directions, 30° or more.");
    const Eigen::VectorXd x = svd.solve(b);
    TcpFit fit;
    fit.flangeFromTcp = x.head<3>();
    fit.place = x.tail<3>();
    // Covariance of the solution per unit of noise: (A^T A)^-1.
    const Eigen::MatrixXd v = svd.matrixV().topRows<3>() * values.cwiseInverse().asDiagonal();
    fit.gain = std::sqrt((v * v.transpose()).diagonal().maxCoeff());
    double sum = 0;
    for (size_t i = 0; i < n; ++i) {
        const double away = (poses[i] * fit.flangeFromTcp - fit.place).norm();
        sum += away * away;
        if (away > fit.worst) fit.worst = away, fit.worstPosture = i;
    }
    fit.rms = std::sqrt(sum / double(n));
    return fit;
}

}  // namespace topikos
