"""Every finding, declared once: its code, its severity, its words, and its meaning."""
