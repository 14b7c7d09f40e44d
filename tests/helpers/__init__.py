"""What tests share: a measured day kept between runs, databases made from it, and Dovrel within the test's own process."""
