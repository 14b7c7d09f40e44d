"""What Dovrel asks of the machine it runs on: whole files, a data folder of its own, a secret, children that end with it."""
