"""What is wrong with a history, and repairing it by stated rules: profile, gaps, outliers, the ledger."""
