"""Sign-up pages, a page of School."""
