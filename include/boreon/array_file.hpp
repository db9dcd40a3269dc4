// SPDX-License-Identifier: MIT
// Arrays of numbers in files of their own: .npy, and .vti for programs that draw fields.
//
//     const NumberArray a = read_npy("start.npy");      // a.shape {256, 256}, the last index running fastest
//     write_output("end.npy", npy_bytes({256, 256}, values));
#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

struct NumberArray {
  std::vector<std::size_t> shape;
  std::vector<double> values;  ///< the last index runs fastest
};

/// Format 1.0 to 3.0 with float64, float32 and whole numbers of 1 to 8 bytes, of either byte order, in C or Fortran
/// order. Throws Error(io) where the file cannot be read, Error(syntax) where it is none of these, or cut off.
[[nodiscard]] NumberArray read_npy(const std::string& path);
[[nodiscard]] NumberArray npy_array(std::string_view bytes, const std::string& path);
/// Format 1.0, float64, little-endian, in C order. Throws Error(shape) where the shape has another number of elements.
[[nodiscard]] std::string npy_bytes(std::span<const std::size_t> shape, std::span<const double> values);

/// A field on an even grid of one to three dimensions.
struct ImageField {
  std::string name;                ///< with its unit: "T (K)"
  std::span<const double> values;  ///< the last index runs fastest
};
struct ImageAxis {
  double start = 0;
  double spacing = 1;
  std::size_t places = 1;
};
/// VTK image data, the first index along x; all fields have the shape of the axes. Throws Error(shape) otherwise, and
/// for more than three axes.
[[nodiscard]] std::string vti_text(std::span<const ImageAxis> axes, std::span<const ImageField> fields);

}  // namespace BOREON_API
