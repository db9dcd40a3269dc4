// SPDX-License-Identifier: MIT
#include "fields/row_order.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "fields/affine.hpp"
#include "fields/body.hpp"
#include "fields/places.hpp"
#include "program/threads.hpp"

namespace boreon {
namespace {

// Least and greatest distance of the columns of two entries in one row.
std::pair<std::int64_t, std::int64_t> distance(const FieldEntry& a, const FieldEntry& b, const FieldBox& box) {
  Affine d;
  d.constant = b.base - a.base;
  for (std::size_t k = 0; k < a.strides.size(); ++k) d.factors.push_back(b.strides[k] - a.strides[k]);
  return range_of(d, box.from, box.to);
}

std::int64_t column_of(const FieldEntry& e, std::span<const std::int64_t> place, std::size_t number) {
  return e.table ? (*e.table)[number] : number_at(e.base, e.strides, place);
}

// The rows of one unknown: their numbers of entries by interval of each dimension.
struct Slabs {
  std::vector<std::map<std::int64_t, std::int64_t>> intervals;  // by dimension: from, places
  std::map<std::vector<std::int64_t>, std::int64_t> entries;    // of one row, or of a slab with these intervals fixed

  std::int64_t of(std::vector<std::int64_t>& prefix) {
    const auto known = entries.find(prefix);
    if (known != entries.end()) return known->second;
    std::int64_t total = 0;
    for (const auto& [from, places] : intervals[prefix.size()]) {
      prefix.push_back(from);
      std::int64_t part = of(prefix);
      prefix.pop_back();
      if (__builtin_mul_overflow(part, places, &part) || __builtin_add_overflow(total, part, &total))
        throw Error(ErrorKind::limit, "the Jacobian has more than 2^63 entries");
    }
    entries.emplace(prefix, total);
    return total;
  }
};

}  // namespace

bool order_terms(FieldBox& box) {
  for (FieldBox::Row& r : box.rows) {
    for (const FieldTerm& t : r.terms) {
      if (box.entries[t.entry].table) return false;
    }
    const auto column = [&](const FieldTerm& t) {  // at the first place
      const FieldEntry& e = box.entries[t.entry];
      return number_at(e.base, e.strides, box.from);
    };
    std::sort(r.terms.begin(), r.terms.end(),
              [&](const FieldTerm& x, const FieldTerm& y) { return column(x) < column(y); });
    for (std::size_t t = 1; t < r.terms.size(); ++t) {
      if (distance(box.entries[r.terms[t - 1].entry], box.entries[r.terms[t].entry], box).first <= 0) return false;
    }
  }
  return true;
}

namespace {

// The rows of a target one by one: columns that meet are one entry. Returns where the next target begins.
std::int64_t list_entries(std::vector<std::pair<FieldBox*, FieldBox::Row*>>& rows, std::int64_t start,
                          const ArrayLayout& target) {
  std::vector<std::int64_t> first(static_cast<std::size_t>(target.elements()) + 1, 0);
  std::vector<std::int64_t> columns;
  // f(place of the box, its number, number of the row within the target)
  const auto each = [&](const FieldBox& box, const FieldBox::Row& row, const auto& f) {
    for_each_place(box.from, box.to, [&](std::span<const std::int64_t> place, std::size_t p) {
      f(place, p, static_cast<std::size_t>(number_at(row.base, row.strides, place) - target.start));
    });
  };
  const auto columns_at = [&](const FieldBox& box, const FieldBox::Row& row, std::span<const std::int64_t> place,
                              std::size_t p) {
    columns.clear();
    for (const FieldTerm& t : row.terms) columns.push_back(column_of(box.entries[t.entry], place, p));
  };
  std::vector<std::int64_t> distinct;
  const auto sorted = [&] {
    distinct = columns;
    std::sort(distinct.begin(), distinct.end());
    distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  };
  for (const auto& [box, row] : rows) {
    each(*box, *row,
         [&, &box_ = *box, &row_ = *row](std::span<const std::int64_t> place, std::size_t p, std::size_t r) {
           columns_at(box_, row_, place, p);
           sorted();
           first[r + 1] = static_cast<std::int64_t>(distinct.size());
         });
  }
  first[0] = start;
  for (std::size_t r = 1; r < first.size(); ++r) first[r] += first[r - 1];
  for (auto& [box, row] : rows) {
    auto listed = std::make_shared<FieldBox::Row::Listed>();
    listed->first.resize(box->places());
    listed->entries.resize(box->places() * row->terms.size());
    each(*box, *row,
         [&, &box_ = *box, &row_ = *row](std::span<const std::int64_t> place, std::size_t p, std::size_t r) {
           columns_at(box_, row_, place, p);
           sorted();
           listed->first[p] = first[r];
           for (std::size_t t = 0; t < columns.size(); ++t)
             listed->entries[p * columns.size() + t] =
                 first[r] + (std::lower_bound(distinct.begin(), distinct.end(), columns[t]) - distinct.begin());
         });
    row->listed = std::move(listed);
  }
  return first.back();
}

}  // namespace

std::int64_t number_entries(std::vector<FieldBox>& boxes, std::span<const char> ordered, const FieldLayout& layout) {
  std::int64_t start = 0;
  for (std::size_t u = 0; u < layout.targets().size(); ++u) {
    Slabs slabs;
    slabs.intervals.resize(layout.targets()[u].dimensions.size());
    std::vector<std::pair<FieldBox*, FieldBox::Row*>> rows;
    bool by_formula = true;
    for (std::size_t n = 0; n < boxes.size(); ++n) {
      FieldBox& b = boxes[n];
      for (FieldBox::Row& r : b.rows) {
        if (r.target != u) continue;
        rows.emplace_back(&b, &r);
        by_formula = by_formula && ordered[n] != 0;
        for (std::size_t k = 0; k < b.from.size(); ++k) slabs.intervals[k][b.from[k]] = b.to[k] - b.from[k] + 1;
        slabs.entries[b.from] = static_cast<std::int64_t>(r.terms.size());
      }
    }
    if (!by_formula) {
      start = list_entries(rows, start, layout.targets()[u]);
      continue;
    }
    for (auto& [box, row] : rows) {
      row->first = start;
      row->steps.clear();
      std::vector<std::int64_t> prefix;
      for (std::size_t k = 0; k < box->from.size(); ++k) {
        for (const auto& [from, places] : slabs.intervals[k]) {
          if (from >= box->from[k]) break;
          prefix.push_back(from);
          row->first += places * slabs.of(prefix);
          prefix.pop_back();
        }
        prefix.push_back(box->from[k]);
        row->steps.push_back(slabs.of(prefix));
        row->first -= row->steps.back() * box->from[k];
      }
    }
    std::vector<std::int64_t> all;
    start += slabs.of(all);
  }
  return start;
}

SparsityPattern FieldPlan::pattern(unsigned threads) const {
  require_jacobian();
  SparsityPattern pattern;
  pattern.rows = rows_;
  pattern.cols = columns_;
  pattern.row_start.resize(rows_ + 1);
  pattern.columns.resize(nonzeros_);
  pattern.row_start[rows_] = static_cast<std::int64_t>(nonzeros_);
  for (const FieldBox& box : boxes_) {
    const std::size_t rank = box.from.size();
    const std::size_t last = rank == 0 ? 0 : rank - 1;
    const std::int64_t along = rank == 0 ? 1 : box.to[last] - box.from[last] + 1;
    const std::size_t lines = box.places() / static_cast<std::size_t>(along);
    const auto line = [&](std::size_t number) {
      std::vector<std::int64_t> place = box.from;
      const std::size_t first_place = number * static_cast<std::size_t>(along);
      for (std::size_t k = last; k-- > 0;) {
        const auto n = static_cast<std::size_t>(box.to[k] - box.from[k] + 1);
        place[k] += static_cast<std::int64_t>(number % n);
        number /= n;
      }
      const auto at = [&](std::int64_t base, const std::vector<std::int64_t>& strides) {
        return number_at(base, strides, place);
      };
      const auto step = [&](const std::vector<std::int64_t>& strides) { return rank == 0 ? 0 : strides[last]; };
      for (const FieldBox::Row& r : box.rows) {
        if (r.listed) {
          for (std::int64_t q = 0; q < along; ++q) {
            std::vector<std::int64_t> here = place;
            if (rank != 0) here[last] += q;
            const std::size_t p = first_place + static_cast<std::size_t>(q);
            const std::int64_t row = number_at(r.base, r.strides, here);
            pattern.row_start[static_cast<std::size_t>(row)] = r.listed->first[p];
            for (std::size_t t = 0; t < r.terms.size(); ++t)
              pattern.columns[static_cast<std::size_t>(r.listed->entries[p * r.terms.size() + t])] =
                  column_of(box.entries[r.terms[t].entry], here, p);
          }
          continue;
        }
        std::int64_t* start = pattern.row_start.data() + at(r.base, r.strides);
        const std::int64_t first = at(r.first, r.steps);
        const std::int64_t length = step(r.steps);
        const std::int64_t by = step(r.strides);
        for (std::int64_t q = 0; q < along; ++q, start += by) *start = first + q * length;
        constexpr std::int64_t at_once = 1024;  // rows whose entries stay in the first cache
        for (std::int64_t begin = 0; begin < along; begin += at_once) {
          const std::int64_t end = std::min(along, begin + at_once);
          for (std::size_t t = 0; t < r.terms.size(); ++t) {
            const FieldEntry& e = box.entries[r.terms[t].entry];
            const std::int64_t right = step(e.strides);
            std::int64_t column = at(e.base, e.strides) + begin * right;
            std::int64_t* to = pattern.columns.data() + first + static_cast<std::int64_t>(t) + begin * length;
            for (std::int64_t q = begin; q < end; ++q, to += length, column += right) *to = column;
          }
        }
      }
    };
    const std::size_t shares = std::min<std::size_t>(threads, lines);
    if (shares <= 1 || box.places() < 4096) {
      for (std::size_t n = 0; n < lines; ++n) line(n);
    } else {
      run_in_threads(shares, [&](std::size_t s) {
        for (std::size_t n = lines * s / shares; n < lines * (s + 1) / shares; ++n) line(n);
      });
    }
  }
  return pattern;
}

}  // namespace boreon
