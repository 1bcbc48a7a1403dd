"""One thing against another: candidates, slices, what is quoted."""
