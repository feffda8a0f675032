"""Looking at records that were extracted: where each is from."""
