package yardage.core.format.xml;

import java.io.InputStream;
import java.io.Reader;
import java.io.StringReader;
import org.w3c.dom.ls.LSInput;

/** A schema's part as text, in the form that the platform asks for. */
record TextInput(String systemId, String text) implements LSInput {
  @Override
  public Reader getCharacterStream() {
    return new StringReader(text);
  }

  @Override
  public String getStringData() {
    return text;
  }

  @Override
  public String getSystemId() {
    return systemId;
  }

  @Override
  public InputStream getByteStream() {
    return null;
  }

  @Override
  public String getPublicId() {
    return null;
  }

  @Override
  public String getBaseURI() {
    return null;
  }

  @Override
  public String getEncoding() {
    return null;
  }

  @Override
  public boolean getCertifiedText() {
    return false;
  }

  @Override
  public void setCharacterStream(Reader stream) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setByteStream(InputStream stream) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setStringData(String data) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setSystemId(String id) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setPublicId(String id) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setBaseURI(String uri) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setEncoding(String encoding) {
    throw new UnsupportedOperationException();
  }

  @Override
  public void setCertifiedText(boolean certified) {
    throw new UnsupportedOperationException();
  }
}
