"""What somebody has put away in their own list is archived there: the name of the screen."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("mixsessions", "0011_small_log")]
    operations = [migrations.RenameField("member", "put_away", "archived")]
