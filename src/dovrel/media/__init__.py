"""Reading pictures and video: probing, exact decoding, proxies, checksums."""
