"""From what is wanted to where the grams go: candidates, recipes, sets, and why not."""
