"""What follows from the numbers: cutoffs, net benefit, recalibration, gates."""
