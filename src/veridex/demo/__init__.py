"""The packaged demo data of Larkmoor Apiary Supply, its generator, and the demo run."""
