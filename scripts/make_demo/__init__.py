"""Makes the samples of the demo from figures that are known in advance.

To be run as `PYTHONPATH=scripts python -m make_demo` when the figures or the forms change. The
results are kept in src/boreotabula/demo, so that the demo copies files and makes none.
"""
