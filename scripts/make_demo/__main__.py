"""Write all samples of the demo to where the program ships them."""

from __future__ import annotations

from pathlib import Path

from make_demo.samples import write_samples

if __name__ == "__main__":
    write_samples(Path(__file__).parents[2] / "src" / "boreotabula" / "demo")
