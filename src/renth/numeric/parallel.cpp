#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <memory>
#include <renth/numeric/parallel.hpp>
#include <thread>

extern "C" {
int openblas_get_num_threads(void);
void openblas_set_num_threads(int);
}

namespace renth {

void parallel_for(std::int64_t count, const std::function<void(std::int64_t)>& body) {
  if (count == 1) return body(0);
  // Isolated: an exception elsewhere in a loop round this one would end it quietly, half done, and what
  // follows here would read what was never written.
  tbb::task_group_context context(tbb::task_group_context::isolated);
  tbb::parallel_for(std::int64_t{0}, count, body, tbb::simple_partitioner{}, context);
}

int parallel_threads() {
  const auto most = tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism);
  return int(std::min<std::size_t>(most, std::max(1U, std::thread::hardware_concurrency())));
}

ParallelLimit::ParallelLimit(int threads) : blas_threads_(openblas_get_num_threads()) {
  const std::size_t most = threads > 0 ? threads : std::max(1U, std::thread::hardware_concurrency());
  control_ =
      std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism, most).release();
  openblas_set_num_threads(1);
}

ParallelLimit::~ParallelLimit() {
  const std::unique_ptr<tbb::global_control> control(static_cast<tbb::global_control*>(control_));
  openblas_set_num_threads(blas_threads_);
}

}  // namespace renth
