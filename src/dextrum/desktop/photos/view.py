"""Photos: those of the job in hand as small pictures, one large; two chosen lie beside or over one another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QKeyEvent, QKeySequence, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListView,
    QSlider,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.job.trail_words import SHOWN_WORDS
from dextrum.app.photos.photo_words import photos_sentence
from dextrum.core.trail import Photo, PhotoMark
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.photos.picture_canvas import PictureCanvas
from dextrum.desktop.photos.thumbnails import Thumbnails
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
PHOTO_ROLE = int(Qt.ItemDataRole.UserRole)
STRIP_PIXELS, ROW_PIXELS = 190, 132
HALF = 50


class PhotoList(QAbstractListModel):
    """The photos of a job, in the order in which they came."""

    def __init__(self) -> None:
        super().__init__()
        self.photos: tuple[Photo, ...] = ()

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.photos)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if not index.isValid():
            return None
        photo = self.photos[index.row()]
        if role == PHOTO_ROLE:
            return photo
        if role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole)):
            return photo_name(photo)
        return None


def photo_name(photo: Photo) -> str:
    """What a photo is called: 'the port: A5 bent'."""
    shown = SHOWN_WORDS[photo.shows]
    return f"{shown}: {photo.words}" if photo.words else shown


class PhotoDelegate(QStyledItemDelegate):
    """Paints one photo of the list: the small picture, what it shows, how many marks."""

    def __init__(self, thumbnails: Thumbnails) -> None:
        super().__init__()
        self.thumbnails = thumbnails

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(look.px(STRIP_PIXELS) - 20, look.px(ROW_PIXELS))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        photo = index.data(PHOTO_ROLE)
        assert isinstance(photo, Photo)
        box = QRectF(option.rect).adjusted(3, 3, -3, -3)
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setPen(QPen(look.colour("ink" if chosen else "rule"), 2 if chosen else 1))
        painter.setBrush(look.colour("panel"))
        painter.drawRoundedRect(box, 4, 4)
        line = look.px(18)
        place = box.adjusted(5, 5, -5, -line - 6)
        picture = self.thumbnails.picture(photo.sha256)
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        if picture is None or picture.isNull():
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                             "…" if picture is None else "The picture is not here.")
        else:
            size = picture.size().scaled(place.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            painter.drawPixmap(QRectF(place.center().x() - size.width() / 2, place.center().y() - size.height() / 2,
                                      size.width(), size.height()), picture, QRectF(picture.rect()))
        painter.setPen(look.colour("ink"))
        words = painter.fontMetrics().elidedText(photo_name(photo), Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(QRectF(place.left(), place.bottom() + 2, place.width(), line),
                         int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), words)
        painter.restore()


class PhotosView(JobView):
    name = "photos"
    commands = ("photo.add", "photo.paste", "photo.microscope", "photo.camera", "photo.watch", "photo.ring",
                "photo.arrow", "photo.unmark", "photo.words", "photo.over")
    keys = (("↑ ↓", "the photo above, below"), ("Ctrl with a click", "a second one beside it"),
            ("+  −", "on the photo: zoom"), ("Home", "on the photo: all of it"))

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.photos = PhotoList()
        self.thumbnails = Thumbnails(model.session.store.picture, self)
        self.list = QListView()
        self.list.setAccessibleName("Photos of this job")
        self.list.setModel(self.photos)
        self.list.setUniformItemSizes(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.delegate = PhotoDelegate(self.thumbnails)
        self.list.setItemDelegate(self.delegate)
        self.thumbnails.ready.connect(lambda _name: self.list.viewport().update())
        self.list.selectionModel().selectionChanged.connect(lambda *_: self._show_chosen())
        self.canvas = PictureCanvas()
        self.canvas.marked.connect(self._mark)
        self.caption = QLabel()
        self.caption.setTextFormat(Qt.TextFormat.PlainText)
        self.caption.setWordWrap(True)
        self.share = QSlider(Qt.Orientation.Horizontal)
        self.share.setRange(0, 100)
        self.share.setValue(HALF)
        self.share.setAccessibleName("How strongly the second photo shows over the first")
        self.share.valueChanged.connect(self._share_moved)
        self.share.hide()
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.share)
        column.addWidget(self.caption)
        line = QHBoxLayout()
        line.addWidget(self.list)
        line.addWidget(right, 1)
        self.body.addLayout(line, 1)
        self.reading = Background(self)
        self.reading.finished.connect(self._show_images)
        self.reading.failed.connect(lambda words: self.canvas.show_images((), (), words))
        self.over = False
        self._shown_for = ""

    def refresh(self) -> None:
        self.sentence.setText(photos_sentence(self.model.facts) if self.model.job_id else "No job is open.")
        self.detail.setText("Drop a picture here, or paste one with Ctrl+V" if self.model.job_id else "")
        self.list.setFixedWidth(look.px(STRIP_PIXELS))
        photos = tuple(photo for photo, _ in self.model.facts.photos)
        if self._shown_for != self.model.job_id:
            self._shown_for, self.over = self.model.job_id, False
        if photos != self.photos.photos:
            before = [photo.sha256 for photo in self.chosen()]
            grown = len(photos) > len(self.photos.photos)
            self.photos.beginResetModel()
            self.photos.photos = photos
            self.photos.endResetModel()
            here = [k for k, photo in enumerate(photos) if photo.sha256 in before] if not grown else []
            if photos:
                self.list.setCurrentIndex(self.photos.index(here[0] if here else len(photos) - 1))
            self._show_chosen()
        self.show_cautions()

    def chosen(self) -> tuple[Photo, ...]:
        """The photos chosen, the current one first, at most two."""
        rows = sorted({index.row() for index in self.list.selectedIndexes()})
        current = self.list.currentIndex().row()
        rows.sort(key=lambda row: row != current)
        return tuple(self.photos.photos[row] for row in rows[:2] if row < len(self.photos.photos))

    def _show_chosen(self) -> None:
        photos = self.chosen()
        self.caption.setText(" · ".join(photo_name(photo) for photo in photos))
        if not photos:
            self.canvas.show_images((), (), "A photo shows an owner what was wrong, and you what was there before."
                                    if self.model.job_id else "")
            self._tell_over()
            return
        read = self.model.session.store.picture

        def work(_told: Callable[[float], bool]) -> object:
            return photos, tuple(QImage.fromData(read(photo.sha256)) for photo in photos)

        self.reading.start(work)

    def _show_images(self, found: tuple[tuple[Photo, ...], tuple[QImage, ...]]) -> None:
        photos, images = found
        if photos != self.chosen():
            return
        if any(image.isNull() for image in images):
            self.canvas.show_images((), (), "This picture can't be shown.")
        else:
            self.canvas.show_images(images, tuple(photo.marks for photo in photos), self.caption.text())
        self._tell_over()

    def _tell_over(self) -> None:
        both = self.over and len(self.canvas.images) == 2
        self.share.setVisible(both)
        self.canvas.over_share = self.share.value() / 100 if both else None
        self.canvas.update()

    def lay_over(self) -> None:
        """Two photos over one another, or beside each other again."""
        if len(self.chosen()) < 2:
            self.say_trouble("Choose two photos first: Ctrl with a click, or Shift with an arrow.")
            return
        self.say_trouble("")
        self.over = not self.over
        self._tell_over()
        if self.over:
            self.share.setFocus()

    def _share_moved(self, value: int) -> None:
        if self.canvas.over_share is not None:
            self.canvas.over_share = value / 100
            self.canvas.update()

    def draw(self, form: str) -> None:
        """The next stroke of the mouse over the photo is a ring or an arrow."""
        if not self.chosen():
            self.say_trouble("There is no photo to mark yet.")
            return
        if len(self.chosen()) > 1:
            self.say_trouble("Choose one photo to mark.")
            return
        self.say_trouble("")
        self.canvas.draw(form)
        self.canvas.setFocus()
        way = "From the middle of the ring outwards" if form == "ring" else "From where the arrow begins to its tip"
        self.detail.setText(f"{way}: press, draw, let go. Esc leaves it.")

    def _mark(self, mark: PhotoMark) -> None:
        photo = next(iter(self.chosen()), None)
        if photo is not None:
            self.record_again(replace(photo, marks=(*photo.marks, mark)))

    def take_mark_off(self) -> None:
        """The last mark of the photo."""
        photo = next(iter(self.chosen()), None)
        if photo is None or not photo.marks:
            self.say_trouble("Nothing is marked on this photo.")
            return
        self.record_again(replace(photo, marks=photo.marks[:-1]))

    def record_again(self, photo: Photo) -> None:
        """The same picture, with other words or marks."""
        try:
            self.model.record(photo)
        except (DextrumError, ValueError) as problem:
            self.say_trouble(str(problem))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Ctrl+V here is a picture; in a field of text it stays what it is there."""
        if event.matches(QKeySequence.StandardKey.Paste):
            self.asked.emit("photo.paste")
        else:
            super().keyPressEvent(event)

    def focus_entry(self) -> None:
        self.list.setFocus()

    def close_work(self) -> None:
        super().close_work()
        self.reading.close()
        self.thumbnails.close()
