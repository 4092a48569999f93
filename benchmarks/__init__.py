"""What ./pulley bench runs: ratios against a named alternative in the same run, medians of several rounds."""
