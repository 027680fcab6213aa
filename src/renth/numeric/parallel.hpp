// Parallel loops whose results do not depend on the number of threads.
#pragma once
#include <renth/numeric/loop.hpp>

namespace renth {

/// A Loop on the threads that oneTBB offers (limit them with ParallelLimit). The first exception is thrown on
/// to the caller. A loop within another always does all of its work, whatever happens to its neighbours.
void parallel_for(std::int64_t count, const std::function<void(std::int64_t)>& body);

/// How many threads parallel loops use.
int parallel_threads();

/// While it lives, parallel loops of the whole process use at most `threads` threads (0: as many
/// as there are cores), and BLAS one: a threaded BLAS sums in an order that varies.
///
/// Process-wide, therefore for a program's main function; the library never creates one.
class ParallelLimit {
 public:
  explicit ParallelLimit(int threads = 0);
  ~ParallelLimit();
  ParallelLimit(const ParallelLimit&) = delete;
  ParallelLimit& operator=(const ParallelLimit&) = delete;

 private:
  void* control_;
  int blas_threads_;
};

}  // namespace renth
