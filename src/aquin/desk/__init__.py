"""The window. Presenters hold what a view shows and know no Qt; widgets only draw and pass on what hands do."""
