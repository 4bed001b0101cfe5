"""What can be measured on a picture."""
