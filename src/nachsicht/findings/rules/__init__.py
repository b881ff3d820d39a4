"""What is found within one version."""
