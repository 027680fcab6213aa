#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/sound.hpp>

namespace renth {

Prediction Layered::answer(Points points, Want want) const {
  const Prediction below = base_->predict(points, {.gradient = want.gradient});
  Prediction out = rest_->predict(points, want);
  out.mean += below.mean;
  for (std::size_t k = 0; k < out.mean_gradient.size(); ++k) out.mean_gradient[k] += below.mean_gradient[k];
  return out;
}

Archive Layered::save() const {
  ArchiveWriter out;
  save_members(out, {base_, rest_});
  return out.take("layered", 1);
}

std::unique_ptr<const Surrogate> Layered::load(const Archive& archive) {
  ArchiveReader in(archive.bytes);
  const auto members = load_members(in);
  need_sound(members.size() == 2);
  return std::make_unique<Layered>(members[0], members[1]);
}

}  // namespace renth
