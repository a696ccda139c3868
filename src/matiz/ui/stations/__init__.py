"""One module per station, found by its name; `registry` lists them in the order of the route."""
