"""One module for each thing that is done with people and workshops."""
