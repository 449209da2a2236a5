// Forward kinematics of the open capture assimp-testmodels BVH/01_01.bvh against two general libraries that
// share no code with this project: orocos-kdl (chains of segments, angles read from the file's own text) and
// Assimp's BVH reader (node hierarchy and keys).
#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <QFile>
#include <QtTest>
#include <assimp/Importer.hpp>
#include <kdl/frames.hpp>
#include <kdl/tree.hpp>
#include <kdl/treefksolverpos_recursive.hpp>
#include <map>

#include "core/body/measures.hpp"
#include "core/files/bvh.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/passes.hpp"
#include "tests/support/count_allocations.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_kinematics {

using namespace nb;

namespace {

/// Channels and numbers of a BVH text, by splitting words: independent of the reader under test.
struct PlainBvh {
    struct Joint {
        QString name;
        int parent;
        KDL::Vector offset;
        QStringList channels;
    };
    std::vector<Joint> joints;
    std::vector<QStringList> frames;

    explicit PlainBvh(const QString& path) {
        QFile file(path);
        if (!file.open(QIODevice::ReadOnly)) qFatal("cannot read %s", qPrintable(path));
        QString text = QString::fromLatin1(file.readAll());
        const auto motion = text.indexOf("MOTION");
        const QStringList words = text.left(motion).simplified().split(' ');
        std::vector<int> open;
        for (int i = 0; i < words.size(); ++i) {
            if (words[i] == "ROOT" || words[i] == "JOINT") {
                joints.push_back({words[i + 1], open.empty() ? -1 : open.back(), {}, {}});
                open.push_back(int(joints.size()) - 1);
            } else if (words[i] == "End") {
                open.push_back(-2);
            } else if (words[i] == "}") {
                open.pop_back();
            } else if (words[i] == "OFFSET" && open.back() >= 0) {
                joints.back().offset =
                    KDL::Vector(words[i + 1].toDouble(), words[i + 2].toDouble(), words[i + 3].toDouble());
            } else if (words[i] == "CHANNELS") {
                joints.back().channels = words.mid(i + 2, words[i + 1].toInt());
            }
        }
        const QStringList lines = text.mid(motion).split('\n');
        for (int i = 3; i < lines.size(); ++i) {
            const QString line = lines[i].simplified();
            if (!line.isEmpty()) frames.push_back(line.split(' '));
        }
    }

    /// World frames of one frame by products of KDL::Frame.
    std::vector<KDL::Frame> world(int frame) const {
        std::vector<KDL::Frame> result;
        int at = 0;
        for (const Joint& joint : joints) {
            KDL::Vector p = joint.offset;
            KDL::Rotation R = KDL::Rotation::Identity();
            for (const QString& channel : joint.channels) {
                const double value = frames[size_t(frame)][at++].toDouble();
                const int axis = channel[0].toLatin1() - 'X';
                if (channel.endsWith("position"))
                    p[axis] = value;
                else if (axis == 0)
                    R = R * KDL::Rotation::RotX(value * M_PI / 180);
                else if (axis == 1)
                    R = R * KDL::Rotation::RotY(value * M_PI / 180);
                else
                    R = R * KDL::Rotation::RotZ(value * M_PI / 180);
            }
            const KDL::Frame local(R, p);
            result.push_back(joint.parent < 0 ? local : result[size_t(joint.parent)] * local);
        }
        return result;
    }
};

aiMatrix4x4 node_in_world(const aiNode* node, const std::map<std::string, aiMatrix4x4>& local) {
    const auto found = local.find(node->mName.C_Str());
    const aiMatrix4x4 own = found == local.end() ? node->mTransformation : found->second;
    return node->mParent ? node_in_world(node->mParent, local) * own : own;
}

}  // namespace

class KinematicsTest : public QObject {
    Q_OBJECT

    SkeletonFile file_ = read_bvh(test::capture("01_01.bvh"));
    double height_ = 28.6;  // units of the file

  private slots:
    void against_kdl() {
        const PlainBvh plain(QString::fromStdString(test::capture("01_01.bvh")));
        QCOMPARE(int(plain.joints.size()), file_.skeleton.size());
        QCOMPARE(int(plain.frames.size()), file_.take.frames);
        const WorldMotion motion = forward_kinematics(file_.skeleton, file_.take);
        double largest = 0.0;
        double largest_turn = 0.0;
        int frames = 0;
        for (int f = 0; f < file_.take.frames; f += 25, ++frames) {
            const auto world = plain.world(f);
            for (int j = 0; j < file_.skeleton.size(); ++j) {
                const KDL::Frame& X = world[size_t(j)];
                const Vec3& p = motion.p[motion.at(f, j)];
                largest = std::max(largest, (Vec3(X.p.x(), X.p.y(), X.p.z()) - p).norm());
                double x, y, z, w;
                X.M.GetQuaternion(x, y, z, w);
                largest_turn =
                    std::max(largest_turn, angle_between(Quat(w, x, y, z), motion.R[motion.at(f, j)]));
            }
        }
        QVERIFY(frames >= 50);
        QVERIFY2(largest < 1e-4 * height_, qPrintable(QString::number(largest)));
        QVERIFY2(largest < 1e-9 * height_, qPrintable(QString::number(largest)));  // what is in fact reached
        QVERIFY(largest_turn < 1e-7);
    }

    void kdl_tree_solver_of_one_leg() {
        // KDL's own tree solver on the left leg, three hinges a joint in the file's order Z, Y, X.
        const PlainBvh plain(QString::fromStdString(test::capture("01_01.bvh")));
        KDL::Tree tree("world");
        const std::array<int, 3> leg{file_.skeleton.find("LeftUpLeg"), file_.skeleton.find("LeftLeg"),
                                     file_.skeleton.find("LeftFoot")};
        std::string before = "world";
        for (const int j : leg) {
            QVERIFY(j >= 0);
            const auto& joint = plain.joints[size_t(j)];
            int index = 0;
            for (const QString& channel : joint.channels) {
                const KDL::Joint::JointType type = channel[0] == 'X'   ? KDL::Joint::RotX
                                                   : channel[0] == 'Y' ? KDL::Joint::RotY
                                                                       : KDL::Joint::RotZ;
                const std::string name = joint.name.toStdString() + std::to_string(index);
                // A hinge stands at the segment's root; the offset goes before the first.
                if (index == 0) {
                    tree.addSegment(
                        KDL::Segment(name + "o", KDL::Joint(KDL::Joint::None),
                                     KDL::Frame(j == leg[0] ? KDL::Vector::Zero() : joint.offset)),
                        before);
                    before = name + "o";
                }
                tree.addSegment(KDL::Segment(name, KDL::Joint(name, type)), before);
                before = name;
                ++index;
            }
        }
        KDL::TreeFkSolverPos_recursive solver(tree);
        const WorldMotion motion = forward_kinematics(file_.skeleton, file_.take);
        for (int f = 0; f < file_.take.frames; f += 50) {
            KDL::JntArray q(tree.getNrOfJoints());
            int at = 0;
            for (size_t j = 0; j < plain.joints.size(); ++j) {
                const auto& joint = plain.joints[j];
                const bool is_in_leg = std::find(leg.begin(), leg.end(), int(j)) != leg.end();
                for (int c = 0; c < joint.channels.size(); ++c, ++at)
                    if (is_in_leg)
                        q(tree.getSegment(joint.name.toStdString() + std::to_string(c))->second.q_nr) =
                            plain.frames[size_t(f)][at].toDouble() * M_PI / 180;
            }
            KDL::Frame X;
            QVERIFY(solver.JntToCart(q, X, before) >= 0);
            const int parent = file_.skeleton.parents[size_t(leg[0])];
            const Quat& R = motion.R[motion.at(f, parent)];
            const Vec3 seen =
                R.conjugate() * Vec3(motion.p[motion.at(f, leg[2])] - motion.p[motion.at(f, leg[0])]);
            QVERIFY((seen - Vec3(X.p.x(), X.p.y(), X.p.z())).norm() < 1e-9 * height_);
        }
    }

    void against_assimp() {
        Assimp::Importer importer;
        const aiScene* scene = importer.ReadFile(test::capture("01_01.bvh"), 0);
        QVERIFY(scene && scene->mNumAnimations == 1);
        const aiAnimation* animation = scene->mAnimations[0];
        const WorldMotion motion = forward_kinematics(file_.skeleton, file_.take);
        double largest = 0.0;
        int frames = 0;
        int joints = 0;
        for (int f = 0; f < file_.take.frames; f += 50, ++frames) {
            std::map<std::string, aiMatrix4x4> local;
            for (unsigned c = 0; c < animation->mNumChannels; ++c) {
                const aiNodeAnim* channel = animation->mChannels[c];
                const auto key = [f](unsigned count) { return std::min(unsigned(f), count - 1); };
                const aiVector3D p = channel->mPositionKeys[key(channel->mNumPositionKeys)].mValue;
                const aiQuaternion R = channel->mRotationKeys[key(channel->mNumRotationKeys)].mValue;
                local[channel->mNodeName.C_Str()] = aiMatrix4x4(aiVector3D(1, 1, 1), R, p);
            }
            joints = 0;
            for (int j = 0; j < file_.skeleton.size(); ++j) {
                const aiNode* node = scene->mRootNode->FindNode(file_.skeleton.names[size_t(j)].c_str());
                if (!node) continue;
                ++joints;
                const aiMatrix4x4 m = node_in_world(node, local);
                const Vec3 p(double(m.a4), double(m.b4), double(m.c4));
                largest = std::max(largest, (p - motion.p[motion.at(f, j)]).norm());
            }
        }
        QVERIFY(frames >= 50);
        QCOMPARE(joints, file_.skeleton.size());
        QVERIFY2(largest < 1e-4 * height_, qPrintable(QString::number(largest / height_)));
    }

    void frames_allocate_nothing() {
        const LoadedFile source = load_file(test::capture("01_01.bvh"));
        for (const auto* name : {"dockhand/rig.bvh", "lamp-child/rig.bvh", "ferrier/rig.glb"}) {
            const LoadedFile target = load_file(test::rig(std::string() + name));
            const Plan plan = compile_plan(source.character, target.character, {});
            const Skeleton& skeleton = source.character.rig.skeleton;
            const WorldMotion world = forward_kinematics(skeleton, *source.take, 1);
            WorldMotion result;
            result.resize(world.frames, target.character.rig.skeleton.size());
            std::vector<Quat> R(skeleton.names.size());
            std::vector<Vec3> p(skeleton.names.size());
            const long before = test::allocations();
            for (int f = 0; f < world.frames; ++f) {
                forward_kinematics(skeleton, *source.take, f, R, p);
                solve_frame(plan.program, world, result, f);
            }
            QCOMPARE(test::allocations() - before, 0L);
        }
        // The counter itself counts.
        const long before = test::allocations();
        std::vector<double> some(100);
        double* volatile where = some.data();  // so that no compiler leaves the allocation out
        QVERIFY(where != nullptr);
        QVERIFY(test::allocations() - before >= 1 && some.size() == 100);
    }

    void two_bones_reach_a_worked_example() {
        // Law of cosines: sides 3 and 4 m span 5 m with a right angle between them, so the lower bone,
        // straight on, bends by 90 degrees; 7 m is straight; 1 m is folded.
        const Vec3 upper(0, -3, 0);
        const Vec3 lower(0, -4, 0);
        const Vec3 knee_axis = Vec3::UnitX();
        QVERIFY(std::abs(bend_for_distance(upper, lower, knee_axis, 5.0) - pi / 2) < 1e-9);
        QVERIFY(std::abs(bend_for_distance(upper, lower, knee_axis, 7.0)) < 1e-6);
        QVERIFY(std::abs(bend_for_distance(upper, lower, knee_axis, 1.0) - pi) < 1e-6);
        const Vec3 tip = upper + exp_rotation(pi / 2 * knee_axis) * lower;
        QVERIFY(std::abs(tip.norm() - 5.0) < 1e-9);
        QVERIFY(tip.z() < -1.0);  // the shin goes back: the knee points ahead
    }

    void stretch_is_eased_but_never_refused_to_the_like() {
        for (double s = 0.9; s <= 1.0; s += 0.001) QVERIFY(std::abs(soften_stretch(s, s) - s) < 1e-15);
        double before = soften_stretch(0.5, 0.9);
        double slope_before = 1.0;
        for (double w = 0.5; w < 1.3; w += 1e-4) {
            const double now = soften_stretch(w, 0.9);
            QVERIFY(now <= 1.0 && now >= before - 1e-12);
            const double slope = (now - before) / 1e-4;
            if (w > 0.5001) QVERIFY2(std::abs(slope - slope_before) < 0.01, qPrintable(QString::number(w)));
            slope_before = w > 0.5 ? slope : 1.0;
            before = now;
        }
    }
};

NB_TEST(KinematicsTest)
}  // namespace test_kinematics
#include "test_kinematics.moc"
