#include "core/rig/trees.hpp"

namespace nb {

int joints_of_tree(const Skeleton& skeleton, int root) {
    int count = 0;
    for (int j = 0; j < skeleton.size(); ++j) count += skeleton.is_ancestor(root, j);
    return count;
}

std::vector<int> body_trees(const Skeleton& skeleton) {
    std::vector<int> roots;
    for (int j = 0; j < skeleton.size(); ++j)
        if (skeleton.parents[size_t(j)] < 0 && joints_of_tree(skeleton, j) >= least_body_joints)
            roots.push_back(j);
    return roots;
}

int find_in_tree(const Skeleton& skeleton, const std::string& tree, const std::string& bone) {
    int root = tree.empty() ? -1 : skeleton.find(tree);
    while (root >= 0 && skeleton.parents[size_t(root)] >= 0) root = skeleton.parents[size_t(root)];
    const int joint = skeleton.find(bone);
    if (root < 0 || (joint >= 0 && skeleton.is_ancestor(root, joint))) return joint;
    const size_t space = tree.rfind(':');
    const int spaced = space == std::string::npos ? -1 : skeleton.find(tree.substr(0, space + 1) + bone);
    return spaced >= 0 && skeleton.is_ancestor(root, spaced) ? spaced : -1;
}

}  // namespace nb
