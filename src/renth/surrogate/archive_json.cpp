#include <cmath>
#include <renth/numeric/base64.hpp>
#include <renth/surrogate/archive_json.hpp>

namespace renth {
namespace {

using Json = nlohmann::ordered_json;
using Type = ArchiveItem::Type;

std::string bytes_of(const Eigen::MatrixXd& m) {
  ArchiveWriter out;
  out.matrix("", m);
  return out.take("", 0).bytes.substr(16);  // after rows and columns
}

Json values_of(std::string_view bytes, const std::vector<ArchiveItem>& items);

Json value_of(std::string_view bytes, const ArchiveItem& item) {
  ArchiveReader in(bytes.substr(item.at));
  Json out = {{"name", item.name}};
  switch (item.type) {
    case Type::number: {
      const double v = in.number();
      if (std::isfinite(v))
        out["number"] = v;
      else  // which JSON has not
        out["number"] = matrix_to_json(Eigen::MatrixXd::Constant(1, 1, v));
      break;
    }
    case Type::count:
      out["count"] = in.count();
      break;
    case Type::text:
      out["text"] = in.text();
      break;
    case Type::matrix:
      out["matrix"] = matrix_to_json(in.matrix());
      break;
    case Type::member: {
      Archive part = in.member();
      part.items = item.inner;
      out["member"] = archive_to_json(part);
    }
  }
  return out;
}

Json values_of(std::string_view bytes, const std::vector<ArchiveItem>& items) {
  Json out = Json::array();
  for (const ArchiveItem& item : items) out.push_back(value_of(bytes, item));
  return out;
}

void write(ArchiveWriter& out, const Json& value) {
  if (const auto number = value.find("number"); number != value.end())
    out.number("", number->is_object() ? matrix_from_json(*number)(0, 0) : number->get<double>());
  else if (value.contains("count"))
    out.count("", value["count"].get<std::int64_t>());
  else if (value.contains("text"))
    out.text("", value["text"].get<std::string>());
  else if (value.contains("matrix"))
    out.matrix("", matrix_from_json(value["matrix"]));
  else if (value.contains("member"))
    out.member("", archive_from_json(value["member"]));
  else
    throw Error("a value of no known type", value.value("name", ""), "read it with the renth that wrote it");
}

}  // namespace

Json matrix_to_json(const Eigen::MatrixXd& m) {
  return {{"rows", m.rows()}, {"columns", m.cols()}, {"f64", to_base64(bytes_of(m))}};
}

Eigen::MatrixXd matrix_from_json(const Json& json) {
  const auto rows = json.at("rows").get<std::int64_t>(), columns = json.at("columns").get<std::int64_t>();
  const std::string bytes = from_base64(json.at("f64").get<std::string>());
  if (rows < 0 || columns < 0 || (columns > 0 && rows > std::int64_t(bytes.size()) / 8 / columns) ||
      std::int64_t(bytes.size()) != rows * columns * 8)
    throw Error("a matrix whose size is not that of its numbers", "f64", "restore the file");
  Eigen::MatrixXd out(rows, columns);
  ArchiveReader in(bytes);
  for (Eigen::Index i = 0; i < out.size(); ++i) out.data()[i] = in.number();
  return out;
}

Json archive_to_json(const Archive& archive) {
  return {{"kind", archive.kind},
          {"version", archive.version},
          {"values", values_of(archive.bytes, archive.items)}};
}

Archive archive_from_json(const Json& json) {
  ArchiveWriter out;
  for (const Json& value : json.at("values")) write(out, value);
  return out.take(json.at("kind").get<std::string>(), json.at("version").get<int>());
}

}  // namespace renth
