"""Parts of Office Open XML packages (ECMA-376), read and changed."""
