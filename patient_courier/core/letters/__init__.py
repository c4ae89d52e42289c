"""A letter's text and nothing else: merge fields, cleaning, colours, differences, visits."""
