"""What bars end in: tips, heads fitted to parts, lower ends, feet."""
