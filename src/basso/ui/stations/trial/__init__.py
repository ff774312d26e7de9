"""Trial: before against after."""
