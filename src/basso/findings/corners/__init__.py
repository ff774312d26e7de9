"""Everything found about where: places, passes, the g the pickup needs, runs, what a lap costs."""
