"""The made-up production *Quire Lane*: its cameras, its scenes, its shooting day."""
