"""The board: one page to hand round."""
