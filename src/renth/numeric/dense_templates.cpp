#include <renth/numeric/dense_templates.hpp>

namespace Eigen::internal {
RENTH_DENSE_TEMPLATES(template)
}  // namespace Eigen::internal
