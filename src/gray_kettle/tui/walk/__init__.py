"""Walking through a site with a live take: the level of one radio in large digits, and what each spot had."""
