"""What files say: layouts, spellings of dates and numbers, keys, grouping, inference."""
