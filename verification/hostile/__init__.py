"""What nobody meant to hand in: tampered files, hostile files, hostile histories. Each part alone takes minutes."""
