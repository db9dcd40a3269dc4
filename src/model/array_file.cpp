// SPDX-License-Identifier: MIT
#include "boreon/array_file.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <iterator>
#include <numeric>
#include <pugixml.hpp>
#include <sstream>

#include "boreon/error.hpp"

namespace boreon {
namespace {

constexpr std::string_view magic = "\x93NUMPY";
constexpr std::size_t most_in_file = std::size_t{1} << 34U;

[[noreturn]] void refuse(const std::string& path, const std::string& why) {
  throw Error(ErrorKind::syntax, fmt::format("'{}' is no array of numbers in .npy format: {}", path, why));
}

std::size_t product(std::span<const std::size_t> shape, const std::string& path) {
  std::size_t n = 1;
  for (const std::size_t s : shape) {
    if (s != 0 && n > most_in_file / s) refuse(path, "it says that it has more than 2^34 elements");
    n *= s;
  }
  return n;
}

// The value of a key of the head, up to the comma or bracket that ends it.
std::string_view value_of(std::string_view head, std::string_view key, const std::string& path) {
  const std::size_t at = head.find(fmt::format("'{}'", key));
  const std::size_t colon = at == std::string_view::npos ? at : head.find(':', at);
  if (colon == std::string_view::npos) refuse(path, fmt::format("its head has no {}", key));
  const std::size_t from = head.find_first_not_of(' ', colon + 1);
  if (from == std::string_view::npos) refuse(path, fmt::format("its head has no {}", key));
  const std::size_t end = head[from] == '(' ? head.find(')', from) : head.find_first_of(",}", from);
  if (end == std::string_view::npos) refuse(path, "its head is cut off");
  return head.substr(from, end - from);
}

template <class T>
double number_at(const char* bytes, bool swapped) {
  std::array<char, sizeof(T)> own;
  std::memcpy(own.data(), bytes, sizeof(T));
  if (swapped) std::reverse(own.begin(), own.end());
  T value;
  std::memcpy(&value, own.data(), sizeof(T));
  return static_cast<double>(value);
}

using ElementReader = double (*)(const char*, bool);

ElementReader reader_of(std::string_view type, std::size_t& size) {
  struct Known {
    std::string_view type;
    std::size_t size;
    ElementReader read;
  };
  static constexpr Known known[] = {
      {"f8", 8, number_at<double>},        {"f4", 4, number_at<float>},         {"i8", 8, number_at<std::int64_t>},
      {"i4", 4, number_at<std::int32_t>},  {"i2", 2, number_at<std::int16_t>},  {"i1", 1, number_at<std::int8_t>},
      {"u8", 8, number_at<std::uint64_t>}, {"u4", 4, number_at<std::uint32_t>}, {"u2", 2, number_at<std::uint16_t>},
      {"u1", 1, number_at<std::uint8_t>},  {"b1", 1, number_at<std::uint8_t>}};
  for (const Known& k : known) {
    if (k.type != type) continue;
    size = k.size;
    return k.read;
  }
  return nullptr;
}

std::string base64(std::string_view bytes) {
  static constexpr char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text;
  text.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    std::uint32_t three = 0;
    for (std::size_t k = 0; k < 3; ++k)
      three = (three << 8U) | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k) {
      const bool there = i + k <= bytes.size();
      text += there ? digits[(three >> (18 - 6 * k)) & 63U] : '=';
    }
  }
  return text;
}

}  // namespace

NumberArray npy_array(std::string_view bytes, const std::string& path) {
  if (!bytes.starts_with(magic) || bytes.size() < 10) refuse(path, "it does not begin as one");
  const auto byte = [&](std::size_t i) { return static_cast<std::size_t>(static_cast<unsigned char>(bytes[i])); };
  const bool wide = byte(6) > 1;
  if (byte(6) < 1 || byte(6) > 3 || (wide && bytes.size() < 12)) refuse(path, "its version is not known");
  const std::size_t length =
      wide ? byte(8) | (byte(9) << 8U) | (byte(10) << 16U) | (byte(11) << 24U) : byte(8) | (byte(9) << 8U);
  const std::size_t start = (wide ? 12 : 10) + length;
  if (start > bytes.size()) refuse(path, "its head is cut off");
  const std::string_view head = bytes.substr(wide ? 12 : 10, length);
  const std::string_view type = value_of(head, "descr", path);  // '<f8'
  std::size_t size = 0;
  const ElementReader read = type.size() == 5 ? reader_of(type.substr(2, 2), size) : nullptr;
  const char order = type.size() == 5 ? type[1] : '?';
  if (read == nullptr || std::string_view("<>|=").find(order) == std::string_view::npos)
    refuse(path, fmt::format("its elements are {}; float64, float32 and whole numbers are read", type));
  const bool swapped = (std::endian::native == std::endian::little) == (order == '>') && size > 1 && order != '=';
  const bool columns = value_of(head, "fortran_order", path).starts_with("True");
  NumberArray a;
  std::string_view shape = value_of(head, "shape", path);
  for (std::size_t at = shape.find_first_of("0123456789"); at != std::string_view::npos;
       at = shape.find_first_of("0123456789")) {
    std::size_t extent = 0;
    const auto end = std::from_chars(shape.data() + at, shape.data() + shape.size(), extent);
    if (end.ec != std::errc()) refuse(path, "its shape is no list of whole numbers");
    a.shape.push_back(extent);
    shape.remove_prefix(static_cast<std::size_t>(end.ptr - shape.data()));
  }
  const std::size_t n = product(a.shape, path);
  if ((bytes.size() - start) / size < n)
    refuse(path, fmt::format("it has {} bytes of numbers where {} belong", bytes.size() - start, n * size));
  a.values.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    // which element this is when the first index runs fastest in the file
    std::size_t to = i;
    if (columns) {
      std::size_t rest = i;
      std::size_t stride = n;
      to = 0;
      for (const std::size_t extent : a.shape) {
        stride /= extent;
        to += rest % extent * stride;
        rest /= extent;
      }
    }
    a.values[to] = read(bytes.data() + start + i * size, swapped);
  }
  return a;
}

NumberArray read_npy(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  if (!file) throw Error(ErrorKind::io, fmt::format("the file '{}' cannot be read; is the path right?", path));
  const std::string bytes{std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>()};
  if (file.bad()) throw Error(ErrorKind::io, fmt::format("the file '{}' cannot be read", path));
  return npy_array(bytes, path);
}

std::string npy_bytes(std::span<const std::size_t> shape, std::span<const double> values) {
  if (product(shape, "the array") != values.size())
    throw Error(ErrorKind::shape, fmt::format("an array of the shape {} does not have {} elements",
                                              fmt::join(shape, " x "), values.size()));
  std::string head = fmt::format("{{'descr': '<f8', 'fortran_order': False, 'shape': ({}{}), }}",
                                 fmt::join(shape, ", "), shape.size() == 1 ? "," : "");
  while ((10 + head.size() + 1) % 64 != 0) head += ' ';
  head += '\n';
  std::string bytes(magic);
  bytes += {'\x01', '\x00'};
  bytes += static_cast<char>(head.size() & 0xffU);
  bytes += static_cast<char>(head.size() >> 8U);
  bytes += head;
  const std::size_t start = bytes.size();
  bytes.resize(start + values.size() * sizeof(double));
  std::memcpy(bytes.data() + start, values.data(), values.size() * sizeof(double));
  if constexpr (std::endian::native == std::endian::big) {
    for (std::size_t i = start; i < bytes.size(); i += 8)
      std::reverse(bytes.begin() + static_cast<std::ptrdiff_t>(i), bytes.begin() + static_cast<std::ptrdiff_t>(i + 8));
  }
  return bytes;
}

std::string vti_text(std::span<const ImageAxis> axes, std::span<const ImageField> fields) {
  if (axes.empty() || axes.size() > 3)
    throw Error(ErrorKind::shape, fmt::format("VTK image data has one to three axes, not {}", axes.size()));
  std::array<ImageAxis, 3> all{};
  std::copy(axes.begin(), axes.end(), all.begin());
  const std::size_t points = all[0].places * all[1].places * all[2].places;
  const std::string extent = fmt::format("0 {} 0 {} 0 {}", all[0].places - 1, all[1].places - 1, all[2].places - 1);
  pugi::xml_document document;
  pugi::xml_node file = document.append_child("VTKFile");
  file.append_attribute("type") = "ImageData";
  file.append_attribute("version") = "1.0";
  file.append_attribute("byte_order") = std::endian::native == std::endian::little ? "LittleEndian" : "BigEndian";
  file.append_attribute("header_type") = "UInt64";
  pugi::xml_node image = file.append_child("ImageData");
  image.append_attribute("WholeExtent") = extent.c_str();
  image.append_attribute("Origin") = fmt::format("{} {} {}", all[0].start, all[1].start, all[2].start).c_str();
  image.append_attribute("Spacing") = fmt::format("{} {} {}", all[0].spacing, all[1].spacing, all[2].spacing).c_str();
  pugi::xml_node piece = image.append_child("Piece");
  piece.append_attribute("Extent") = extent.c_str();
  pugi::xml_node data = piece.append_child("PointData");
  for (const ImageField& f : fields) {
    if (f.values.size() != points)
      throw Error(ErrorKind::shape,
                  fmt::format("{} has {} elements, the grid has {} places", f.name, f.values.size(), points));
    // x runs fastest there
    std::string bytes(sizeof(std::uint64_t) + points * sizeof(double), '\0');
    const std::uint64_t length = points * sizeof(double);
    std::memcpy(bytes.data(), &length, sizeof(length));
    char* to = bytes.data() + sizeof(length);
    for (std::size_t k = 0; k < all[2].places; ++k) {
      for (std::size_t j = 0; j < all[1].places; ++j) {
        for (std::size_t i = 0; i < all[0].places; ++i, to += sizeof(double)) {
          const double v = f.values[(i * all[1].places + j) * all[2].places + k];
          std::memcpy(to, &v, sizeof(v));
        }
      }
    }
    pugi::xml_node array = data.append_child("DataArray");
    array.append_attribute("type") = "Float64";
    array.append_attribute("Name") = f.name.c_str();
    array.append_attribute("format") = "binary";
    array.append_child(pugi::node_pcdata).set_value(base64(bytes).c_str());
  }
  std::ostringstream out;
  document.save(out, " ");
  return out.str();
}

}  // namespace boreon
