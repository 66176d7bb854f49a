#include "core/robot/self_motion.h"

#include "core/robot/forward.h"
#include "core/spatial/rotation.h"

#include <Eigen/Cholesky>
#include <Eigen/LU>

#include <cmath>

namespace topikos {

namespace {

constexpr double kStep = 0.01;   // largest piece of the way [rad or m]
constexpr double kRank = 1e-7;   // pivots below this share of the largest are none
constexpr double kShare = 1e-3;  // of the joint in the motion that keeps the flange; less is none
constexpr double kStays = 1e-9;  // [m and rad]

/// How far the flange is from where it is to stay: way, then turn, in base.
Eigen::Matrix<double, 6, 1> lack(const Arm& arm, const JointVector& q, const Pose& wanted)
{
    const Pose now = forward(arm, q);
    const AxisAngle turn = axisAngleOf(wanted.rotation * now.rotation.conjugate());
    Eigen::Matrix<double, 6, 1> out;
    out << wanted.translation - now.translation, turn.angle * turn.axis;
    return out;
}

}  // namespace

std::optional<JointVector> selfMotion(const Arm& arm, const JointVector& posture, int joint, double by)
{
    const Pose flange = forward(arm, posture);
    const int steps = std::max(1, int(std::ceil(std::abs(by) / kStep)));
    JointVector q = posture;
    for (int i = 1; i <= steps; ++i) {
        const double target = posture[joint] + by * i / steps;
        Eigen::MatrixXd j = jacobian(arm, q);
        Eigen::FullPivLU<Eigen::MatrixXd> lu(j);
        lu.setThreshold(kRank);
        if (lu.dimensionOfKernel() == 0) return std::nullopt;
        const Eigen::MatrixXd kernel = lu.kernel();
        // Of all motions that keep the flange the shortest one for this joint.
        const Eigen::VectorXd share =
            kernel * (kernel.transpose() * kernel).ldlt().solve(kernel.row(joint).transpose());
        if (!(share[joint] > kShare * kShare)) return std::nullopt;
        q += share * ((target - q[joint]) / share[joint]);
        // Back onto the place by the other joints.
        for (int pass = 0; pass < 6; ++pass) {
            const Eigen::Matrix<double, 6, 1> e = lack(arm, q, flange);
            if (e.norm() < 0.1 * kStays) break;
            j = jacobian(arm, q);
            j.col(joint).setZero();
            const Eigen::MatrixXd square = j * j.transpose() + 1e-12 * Eigen::MatrixXd::Identity(j.rows(), j.rows());
            q += j.transpose() * square.ldlt().solve(e);
        }
        if (!q.allFinite() || lack(arm, q, flange).norm() > kStays) return std::nullopt;
    }
    return q;
}

}  // namespace topikos
