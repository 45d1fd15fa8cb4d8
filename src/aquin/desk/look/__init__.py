"""The Look view: looks over the graded shots, a reference taken apart, several looks over several shots."""
