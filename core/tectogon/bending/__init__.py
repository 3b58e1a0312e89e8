"""Sheet metal: bends found on a body, its blank unfolded, and how much a bend takes of the flat."""
