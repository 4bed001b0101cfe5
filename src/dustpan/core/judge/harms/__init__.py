"""What a route may do that should not stay: one module a harm, with its measure, its limit and its words."""
